"""A sliced file as numbers: its moves, the time they take, the walls and the ramp in it.

Begin with `moves`.
"""
