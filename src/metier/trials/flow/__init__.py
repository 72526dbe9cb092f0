"""Flow, from the walls of a hollow test cube: ``metier flow``."""
