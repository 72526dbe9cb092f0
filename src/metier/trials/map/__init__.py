"""Flow by speed and temperature, out of walls printed at several: ``metier map``."""
