"""The volumetric limit from a wall whose flow rises with height: ``metier volumetric``."""
