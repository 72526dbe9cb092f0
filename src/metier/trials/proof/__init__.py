"""A real part after the cube: its walls at places, its grams, its minutes: ``metier proof``."""
