"""How fast the hot end melts: ramps, lengths fed, coupons broken, and the limit they show.

Begin with `ramp`, `onset` and `verdict`.
"""
