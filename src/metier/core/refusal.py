"""Input that cannot be reckoned with."""


class Refusal(ValueError):
    """What is wrong with the input, which value, and what to do: one line for the user."""
