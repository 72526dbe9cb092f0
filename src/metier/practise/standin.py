"""The stand-in that is practised with, in the background."""

import json
import subprocess
from collections.abc import Sequence
from contextlib import suppress
from types import TracebackType
from typing import Self

from metier.demo.running import Shell, program, show_command
from metier.failure import Failure

_STOPS_S = 10.0


class Standin:
    """A stand-in that runs as long as this is entered; ``port`` is where it listens."""

    def __init__(self, shell: Shell, words: Sequence[str]) -> None:
        show_command(words, note="        (in a terminal of its own)")
        self._shell = shell
        self._process = subprocess.Popen(
            # However this process ends, the pipe ends with it, and so does the stand-in.
            program([*words, "--json", "--until-closed"]),
            cwd=shell.folder,
            env=shell.environment,
            stdin=subprocess.PIPE,
            stdout=subprocess.PIPE,
            text=True,
            # Ctrl-C is meant for what is practised, not for the printer.
            start_new_session=True,
        )
        assert self._process.stdout is not None
        line = self._process.stdout.readline()
        if not line:
            self._process.wait()
            raise Failure("the stand-in printer does not start here")
        said = json.loads(line)
        self.port, self.seed = str(said["port"]), int(said["seed"])

    def __enter__(self) -> Self:
        return self

    def __exit__(
        self,
        kind: type[BaseException] | None,
        error: BaseException | None,
        trace: TracebackType | None,
    ) -> None:
        self._process.terminate()
        with suppress(subprocess.TimeoutExpired):
            self._process.communicate(timeout=_STOPS_S)

    def measured(self, what: str) -> list[str]:
        """Return what the stand-in's calipers show, one a line; none where there is nothing."""
        words = ["standin", "measure", what]
        finished = self._shell.run(words, quiet=True)
        if finished.returncode != 0:
            return []
        return [str(one) for one in json.loads(finished.stdout)["readings"]]
