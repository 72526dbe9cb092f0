"""The strand's diameter against the one the slicer has: ``metier diameter``."""
