"""A scale as a second witness: what a print really took: ``metier weigh``."""
