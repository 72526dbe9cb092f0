"""The worked example: a workshop that builds a table-top orrery. All its data is made up.

Begin with `script`.
"""
