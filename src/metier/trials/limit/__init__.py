"""The volumetric speed limit, from a ramp, lengths fed, or coupons: ``metier volumetric``."""

from metier.trials.limit.kind import KIND as KIND
