"""The volumetric limit from the strength of coupons: ``metier volumetric --strength``."""
