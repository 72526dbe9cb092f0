"""The command line: how words become options, quantities and an answer.

Begin with `parser` and `arguments`.
"""
