"""Steps per mm of filament, from a marked or cut length of it: ``metier esteps``."""

from metier.trials.esteps.kind import KIND as KIND
