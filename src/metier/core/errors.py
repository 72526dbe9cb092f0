"""All that goes wrong on purpose: each is one line that says what is wrong and what to do."""


class Error(Exception):
    """Whatever Metier says is wrong; what is none of these is a fault in Metier itself."""


class BadInput(Error, ValueError):
    """What is wrong with the input, which value, and what to do."""


class Failure(Error):
    """Something outside that does not do its part, a logbook, a printer, a cable, and what to do;
    nobody typed anything wrong."""
