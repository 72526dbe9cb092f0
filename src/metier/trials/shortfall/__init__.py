"""The volumetric limit from lengths fed faster and faster: ``metier volumetric --feed``."""
