"""Flow, from the walls of a hollow test cube: ``metier flow``."""

from metier.trials.flow.kind import KIND as KIND
