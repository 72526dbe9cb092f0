"""The volumetric limit from a part of one's own, lowered by steps: ``volumetric --tried``."""
