"""Steps per mm of filament, from a marked or cut length of it: ``metier esteps``."""
