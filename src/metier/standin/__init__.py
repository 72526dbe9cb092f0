"""The stand-in printer: a hidden truth, drawn by seed, that can be found by measuring.

Begin with `truth` and `physics`; `serving` listens.
"""
