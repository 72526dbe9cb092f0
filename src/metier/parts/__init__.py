"""The shapes of the test parts: their lines for G-code, and their bodies for a mesh.

Begin with `part`, which says what each of them answers, and `tube`.
"""
