"""Parts that fit: holes and posts off a plate, mating parts by feel, threads.

Begin with `plate` and `offsets`, or with `feel`.
"""
