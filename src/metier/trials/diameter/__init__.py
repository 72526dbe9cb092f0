"""The strand's diameter against what the slicer reckons with: ``metier diameter``."""
