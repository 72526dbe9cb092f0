"""A line as calipers and the boxes behind them send it: a reading with what they put around it."""

import re

# The channel of a box with several instruments: 01A+00001.41, or 1:1.41.
_CHANNEL = re.compile(r"^(?:\d{1,2}[A-Z](?=[+-]\d)|\d{1,2}\s*:\s*(?=[+-]?[\d.,]))")
_PADDED = re.compile(r"^\+?0*(?=\d)")
# A byte order mark read as it is, and as the three letters that it looks like.
_MARKS = ("\ufeff", "\u00ef\u00bb\u00bf")
# Controls frame a message (STX, ETX, NUL); a tab may stand between a reading and its unit.
_CONTROL = re.compile(r"[\x00-\x08\x0b-\x1f\x7f]")


def plain_line(line: str) -> str:
    """Return what is typed in a line, without a frame, a channel, and the marks behind it.

    >>> [plain_line(sent) for sent in ("\\x0201A+00001.41\\x03", "1:1.41", "0.47\\tmm;")]
    ['1.41', '1.41', '0.47 mm']
    """
    for mark in _MARKS:
        line = line.removeprefix(mark)
    text = " ".join(_CONTROL.sub("", line).split())
    text = text.rstrip("; ")
    bare = _CHANNEL.sub("", text)
    return text if bare == text else _PADDED.sub("", bare.strip())
