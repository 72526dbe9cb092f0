"""What may be called a port: a device of this machine, or a serial line on the network."""

import re

from metier.core.errors import BadInput

_URL = re.compile(
    r"(?:socket|rfc2217)://(?:\[[0-9a-f:.]+\]|[a-z0-9._-]+):\d{1,5}"
    r"(?:/?\?(?:(?:ign_set_control|poll_modem|timeout=\d{1,3})&?)+)?",
    re.IGNORECASE,
)
_LONGEST = 200


def checked_port(text: str) -> str:
    """Return the name of a port; whether anything is there, opening it tells.

    A name is typed, it comes with an import, and it lies in a logbook: what serial libraries take
    for a URL beside these two may write files or open other programs.

    >>> checked_port("/dev/ttyACM0"), checked_port("socket://192.168.1.20:7125")
    ('/dev/ttyACM0', 'socket://192.168.1.20:7125')

    Raises:
        BadInput: it is neither a device nor socket:// or rfc2217:// with host and port.
    """
    name = text.strip()
    plain = name.isprintable() and 0 < len(name) <= _LONGEST and not name.startswith("-")
    if plain and ("://" not in name or _URL.fullmatch(name)):
        return name
    raise BadInput(
        f"{text[:60]!r} is no port: give a device (/dev/ttyACM0, COM3), socket://HOST:PORT or "
        "rfc2217://HOST:PORT"
    )
