"""A word to a stand-in that runs: swap something, cut its power, stop."""

import json
import socket
from contextlib import suppress

from metier.failure import Failure

_PATIENCE_S, _LONGEST = 10.0, 4096


class Control:
    """Where a running stand-in takes such words: on this machine alone."""

    def __init__(self) -> None:
        self._listening = socket.socket()
        self._listening.bind(("127.0.0.1", 0))
        self._listening.listen()
        self.port: int = self._listening.getsockname()[1]
        self.number = self._listening.fileno()

    def take(self) -> tuple[list[str], socket.socket]:
        """Return the words that came, and where to answer them; no words for what is none."""
        asking, _ = self._listening.accept()
        asking.settimeout(1.0)
        words: object = []
        with suppress(OSError, ValueError, RecursionError):
            words = json.loads(asking.makefile(encoding="utf-8").readline(_LONGEST))
        return ([str(word) for word in words] if isinstance(words, list) else []), asking

    def close(self) -> None:
        """Take no more."""
        self._listening.close()


def answer(asking: socket.socket, text: str) -> None:
    """Answer who asked."""
    with suppress(OSError):
        asking.sendall(f"{text}\n".encode())
    asking.close()


def tell(port: int, *words: str, patience_s: float = _PATIENCE_S) -> str:
    """Tell a running stand-in something and return its answer.

    Raises:
        Failure: it does not answer.
    """
    try:
        with socket.create_connection(("127.0.0.1", port), _PATIENCE_S) as asked:
            asked.settimeout(patience_s)
            asked.sendall(json.dumps(words).encode() + b"\n")
            return asked.makefile(encoding="utf-8").readline().strip()
    except OSError:
        raise Failure("the stand-in does not answer: is it still running?") from None
