"""``python -m metier``."""

from metier.cli import program

program()
