"""Input that cannot be reckoned with."""

from __future__ import annotations


class Refusal(ValueError):
    """What is wrong with the input, which value, and what to do: one line for the user."""
