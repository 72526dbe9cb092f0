"""A printed line: its cross-section, the wall that lines make, the speed a flow allows.

Begin with `bead`.
"""
