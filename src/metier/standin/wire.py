"""What the stand-in listens on: a pseudo-terminal, or TCP on this machine alone."""

import os
import socket
from contextlib import suppress
from typing import Protocol

from metier.failure import Failure

_MOST, _NOT_READ_S = 65536, 0.5


class Wire(Protocol):
    """Where a printer is spoken to: ``port`` is what to give as --port."""

    port: str

    def readable(self) -> list[int]:
        """Return what may have something to read."""

    def read(self, ready: list[int]) -> bytes:
        """Return what came."""

    def write(self, data: bytes) -> None:
        """Send, if anybody listens."""

    def close(self) -> None:
        """Pull the cable."""


class Terminal:
    """A pseudo-terminal: a serial line as far as anybody can tell."""

    def __init__(self) -> None:
        try:
            import pty
            import tty
        except ImportError:
            raise Failure("this system has no pseudo-terminals: give --tcp 7125") from None
        self._own, self._others = pty.openpty()
        tty.setraw(self._others)
        os.set_blocking(self._own, False)
        self.port = os.ttyname(self._others)

    def readable(self) -> list[int]:
        return [self._own]

    def read(self, ready: list[int]) -> bytes:
        if self._own not in ready:
            return b""
        try:
            return os.read(self._own, _MOST)
        except OSError:
            return b""

    def write(self, data: bytes) -> None:
        # What nobody reads is lost, as on a serial line.
        with suppress(OSError):
            os.write(self._own, data)

    def close(self) -> None:
        for one in (self._others, self._own):
            os.close(one)


class Tcp:
    """A port on this machine that one program at a time may speak to."""

    def __init__(self, port: int) -> None:
        self._listening = socket.socket()
        self._listening.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
        try:
            self._listening.bind(("127.0.0.1", port))
            self._listening.listen()
        except OSError as error:
            self._listening.close()
            raise Failure(f"port {port} cannot be listened on: {error.strerror}") from None
        self.port = f"socket://127.0.0.1:{self._listening.getsockname()[1]}"
        self._spoken: socket.socket | None = None

    def readable(self) -> list[int]:
        both = (self._listening, self._spoken)
        return [one.fileno() for one in both if one is not None]

    def read(self, ready: list[int]) -> bytes:
        if self._listening.fileno() in ready:
            self._accept()
        if self._spoken is None or self._spoken.fileno() not in ready:
            return b""
        try:
            data = self._spoken.recv(_MOST)
        except OSError:
            data = b""
        if not data:
            self._spoken.close()
            self._spoken = None
        return data

    def _accept(self) -> None:
        other, _ = self._listening.accept()
        if self._spoken is None:
            other.setsockopt(socket.IPPROTO_TCP, socket.TCP_NODELAY, 1)
            # Who does not read is not waited for.
            other.settimeout(_NOT_READ_S)
            self._spoken = other
        else:
            # A serial line has one end.
            other.close()

    def write(self, data: bytes) -> None:
        if self._spoken is not None:
            with suppress(OSError):
                self._spoken.sendall(data)

    def close(self) -> None:
        for one in (self._spoken, self._listening):
            if one is not None:
                one.close()
