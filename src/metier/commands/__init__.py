"""One module a command: options in, core and logbook asked, words out."""
