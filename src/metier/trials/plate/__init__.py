"""Hole and contour compensation, from a plate of holes and posts: ``metier xy``."""
