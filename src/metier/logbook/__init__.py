"""The logbook: one SQLite file with printers, spools, trials and what was typed in."""
