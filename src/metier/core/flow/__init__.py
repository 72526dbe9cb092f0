"""From the walls of a cube to the flow that makes them right, and the verdict on them.

Begin with `trials`, then `posterior` and `verdict`.
"""
