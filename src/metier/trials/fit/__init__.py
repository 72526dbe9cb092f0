"""Mating parts and threads, and how much more to open for a feel: ``metier fit``."""
