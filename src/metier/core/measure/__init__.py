"""From readings off an instrument to a number with its ±, and the slips on the way.

Begin with `readings`.
"""
