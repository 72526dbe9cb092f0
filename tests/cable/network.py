"""A serial line put on the network by RFC 2217, as a small box beside a printer does."""

import socket
import threading
from contextlib import suppress

import serial
from serial.rfc2217 import PortManager


class Line(serial.Serial):
    """A pseudo-terminal has no lines of a modem."""

    def _update_dtr_state(self):
        pass

    def _update_rts_state(self):
        pass


class Manager(PortManager):
    def check_modem_lines(self, force_notification=False):
        pass


class Box:
    """Passes what comes over the network on to a serial line, and back; ``url`` is where."""

    def __init__(self, port):
        self._line = Line(port, timeout=0.05)
        self._listening = socket.create_server(("127.0.0.1", 0))
        self.url = f"rfc2217://127.0.0.1:{self._listening.getsockname()[1]}"
        self._alive = True
        self._thread = threading.Thread(target=self._serve)
        self._thread.start()

    def write(self, data):
        """Send to whoever is connected: what the manager of the line calls."""
        self._connected.sendall(data)

    def _serve(self):
        with suppress(OSError):
            while self._alive:
                self._connected, _ = self._listening.accept()
                with self._connected:
                    self._pass_on()

    def _pass_on(self):
        manager = Manager(self._line, self)
        self._connected.settimeout(0.02)
        while self._alive:
            back = self._line.read(self._line.in_waiting or 1)
            if back:
                self.write(b"".join(manager.escape(back)))
            try:
                data = self._connected.recv(1024)
            except TimeoutError:
                continue
            if not data:
                return
            self._line.write(b"".join(manager.filter(data)))

    def close(self):
        self._alive = False
        self._listening.shutdown(socket.SHUT_RDWR)
        self._listening.close()
        self._thread.join(10)
        self._line.close()
