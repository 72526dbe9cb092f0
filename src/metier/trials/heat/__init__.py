"""Temperature steps: the range that serves, by what is seen and felt: ``metier heat``."""
