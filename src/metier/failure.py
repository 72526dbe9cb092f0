"""Something outside Metier that does not do its part: a logbook, a printer, a cable."""


class Failure(Exception):
    """What failed and what to do: one line for the user, who did nothing wrong."""
