"""The logbook: one SQLite file with printers, spools, trials and what was typed in.

Begin with `schema` and `book`; `trials` reads, `recording` writes, `inforce` says what stands.
"""
