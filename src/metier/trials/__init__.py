"""A kind of trial each, all with the same face (`kind`), through one pipeline (`runner`).

Begin with `kind`, `table` and `runner`, then with the smallest room, `diameter`. A room has
``kept`` (what the logbook keeps), ``kind``, mostly ``sheet``, and ``part`` where one is printed.
"""
