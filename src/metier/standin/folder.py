"""The stand-in kept in a folder, print by print."""

import json
import os
from typing import IO, NamedTuple

from metier.core.errors import BadInput, Failure
from metier.logbook.plain import NotPlain, from_plain, to_plain
from metier.standin.firmware import Memory
from metier.standin.physics import Fed, PrintRecord
from metier.standin.truth import Fitted, Truth, truth_of
from metier.whole_file import try_lock, write_whole

_STATE, _LOCK, _RUNNING, _READ = "stand-in.json", "lock", "running.json", "readings.txt"
_VERSION = 1


class State(NamedTuple):
    """A stand-in between two commands: its seed, what is in it, what its board keeps, how much of
    its roll is used, what was fed and printed."""

    seed: int
    fitted: Fitted
    steps: float
    stored_steps: float
    accel_mm_s2: float
    stored_accel_mm_s2: float
    along_mm: float
    fed: tuple[Fed, ...]
    prints: tuple[PrintRecord, ...]
    version: int = _VERSION

    @property
    def truth(self) -> Truth:
        """What is true of it now."""
        return truth_of(self.seed, self.fitted)

    @property
    def memory(self) -> Memory:
        """What its board keeps."""
        return Memory(self.steps, self.stored_steps, self.accel_mm_s2, self.stored_accel_mm_s2)

    def keeping(self, memory: Memory) -> "State":
        """Return it with this in its board."""
        return self._replace(
            steps=memory.steps,
            stored_steps=memory.stored_steps,
            accel_mm_s2=memory.accel_mm_s2,
            stored_accel_mm_s2=memory.stored_accel_mm_s2,
        )


def new_state(seed: int, fitted: Fitted) -> State:
    """Return a stand-in that was never used: its board carries what it came with."""
    steps = truth_of(seed, fitted).board.factory_steps
    fresh = Memory(steps, steps)
    empty = State(
        seed=seed,
        fitted=fitted,
        steps=0.0,
        stored_steps=0.0,
        accel_mm_s2=0.0,
        stored_accel_mm_s2=0.0,
        along_mm=0.0,
        fed=(),
        prints=(),
    )
    return empty.keeping(fresh)


class StandinFolder:
    """The folder by its name as the user gave it."""

    def __init__(self, path: str) -> None:
        self.path = path

    def exists(self) -> bool:
        """Tell whether a stand-in lives there."""
        return os.path.exists(self._file(_STATE))

    def load(self) -> State:
        """Return the stand-in as it was left.

        Raises:
            BadInput: there is none.
            Failure: its file cannot be read.
        """
        if not self.exists():
            raise BadInput(f"there is no stand-in in {self.path}: metier standin start makes one")
        path = self._file(_STATE)
        try:
            with open(path, encoding="utf-8") as file:
                kept = json.load(file)
            if kept.get("version", 0) > _VERSION:
                raise Failure(f"{path} is of a newer Metier: use that one, or another --folder")
            return from_plain(State, kept)
        except (ValueError, AttributeError, NotPlain):
            raise Failure(f"{path} is damaged: start another stand-in, with --folder") from None

    def save(self, state: State) -> None:
        """Keep it, whole or not at all."""
        os.makedirs(self.path, exist_ok=True)
        text = json.dumps(to_plain(state), ensure_ascii=False)
        write_whole(self._file(_STATE), text + "\n", overwrite=True)

    def lines_of(self, number: int) -> str:
        """Return the file that the lines of a print are kept in."""
        return self._file(f"print-{number}.csv")

    def hold(self) -> IO[bytes]:
        """Return a file whose lock says that this process works with the folder.

        Raises:
            Failure: another one does.
        """
        os.makedirs(self.path, exist_ok=True)
        file = open(self._file(_LOCK), "ab")  # noqa: SIM115
        if not try_lock(file):
            file.close()
            raise Failure(f"the stand-in in {self.path} runs already: metier standin stop ends it")
        return file

    def say_running(self, port: str, control: int) -> None:
        """Write down where it listens."""
        text = json.dumps({"port": port, "control": control})
        write_whole(self._file(_RUNNING), text + "\n", overwrite=True)

    def running(self) -> tuple[str, int] | None:
        """Return where it listens, for printing and for `swap` and the like; None where it does
        not run."""
        try:
            with open(self._file(_LOCK), "ab") as file:
                if try_lock(file):
                    return None
            with open(self._file(_RUNNING), encoding="utf-8") as file:
                state = json.load(file)
            return str(state["port"]), int(state["control"])
        except (OSError, ValueError, KeyError, TypeError):
            return None

    def measured(self) -> int:
        """Return how often something was measured."""
        try:
            with open(self._file(_READ), encoding="utf-8") as file:
                return sum(1 for _ in file)
        except OSError:
            return 0

    def note_measured(self, what: str, shown: str) -> None:
        """Write down what was measured."""
        with open(self._file(_READ), "a", encoding="utf-8") as file:
            file.write(f"{what}: {shown}\n")

    def _file(self, name: str) -> str:
        return os.path.join(self.path, name)
