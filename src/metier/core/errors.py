"""All that goes wrong on purpose: each is one line that says what is wrong and what to do."""


class Error(Exception):
    """Whatever Metier says is wrong; what is none of these is a fault in Metier itself."""


class BadInput(Error, ValueError):
    """What is wrong with the input, which value, and what to do."""


class Slip(BadInput):
    """A reading that must be a slip: the value that was read, and the one that was likely meant."""

    def __init__(self, text: str, value: float, likely: float) -> None:
        super().__init__(text)
        self.value, self.likely = value, likely


class Failure(Error):
    """Something outside that does not do its part, a logbook, a printer, a cable, and what to do;
    nobody typed anything wrong."""
