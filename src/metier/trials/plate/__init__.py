"""Hole and contour compensation, from a plate of holes and posts: ``metier xy``."""

from metier.trials.plate.kind import KIND as KIND
