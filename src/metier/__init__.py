"""Metier: readings in, corrections out, and a logbook that knows which value is in force."""
