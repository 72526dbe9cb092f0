"""The volumetric speed limit, from a ramp, lengths fed, or coupons: ``metier volumetric``.

Three kinds, `ramp`, `shortfall` and `coupons`; this room is what they have in common, and `kind`
says which of them the command means.
"""
