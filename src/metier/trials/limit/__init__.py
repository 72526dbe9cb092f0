"""The volumetric speed limit, from a ramp, lengths fed, or coupons: ``metier volumetric``."""
