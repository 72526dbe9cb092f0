"""The printer on its cable: the serial line, and plain G-code as firmware commonly speaks it.

Begin with `link`, which speaks to it, and `guarded`, which leaves no heater on.
"""
