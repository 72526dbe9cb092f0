"""One line off a terminal or a pipe, whatever bytes come."""

import sys
from io import TextIOWrapper

from metier.core.refusal import Refusal

_NO_TEXT = "that line holds bytes that are no text in this terminal's encoding"


def typed_line() -> str:
    """Return the next line with its end; empty where a pipe has ended.

    Raises:
        Refusal: the line holds bytes that are no text; the next one may be read all the same.
        KeyboardInterrupt: the terminal went away.
    """
    if isinstance(sys.stdin, TextIOWrapper) and sys.stdin.errors != "surrogateescape":
        sys.stdin.reconfigure(errors="surrogateescape")
    try:
        line = sys.stdin.readline()
    except UnicodeError:
        # An encoding of two bytes a letter takes nothing else for text.
        raise Refusal(_NO_TEXT) from None
    if not line and sys.stdin.isatty():
        # Not the empty line that ends an entry.
        raise KeyboardInterrupt
    if any("\udc80" <= letter <= "\udcff" for letter in line):
        raise Refusal(_NO_TEXT)
    return line
