"""Mating parts and threads, and how much more to open for a feel: ``metier fit``."""

from metier.trials.fit.kind import KIND as KIND
