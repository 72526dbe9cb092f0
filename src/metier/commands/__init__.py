"""One module a command: options in, core and logbook asked, words out.

A command is the module of its name, with ``parser`` and ``run``; `machine` is what printers,
nozzles, spools and instruments have in common.
"""
