"""Numbers as people type them, and the files that go in and out.

Begin with `quantity` for what is typed, `gcode` for sliced files.
"""
