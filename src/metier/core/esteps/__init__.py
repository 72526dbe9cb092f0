"""E-steps from lengths of filament that were asked for and moved.

Begin with `measured`.
"""
