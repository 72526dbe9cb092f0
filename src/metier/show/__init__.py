"""How findings look: numbers, dates and sheets of aligned text.

Begin with `sheet`; pictures begin with `plot`.
"""
