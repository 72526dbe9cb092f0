"""The filament profile as TOML; its JSON Schema is ``profile.schema.json`` beside this module."""

import os
import tempfile
from datetime import UTC, datetime
from typing import Any

import tomlkit

from metier.core.refusal import Refusal

FORMAT = "metier-profile"
VERSION = 1

# What each value is called in the file: its unit is part of the name.
KEYS = {
    "esteps": "steps_per_mm",
    "flow": "percent",
    "limit": "mm3_per_s",
    "hole": "per_side_mm",
    "contour": "per_side_mm",
    "scale": "ratio",
}


def profile_text(payload: dict[str, Any], written: datetime) -> str:
    """Return a profile, as `metier profile --json` gives it, as TOML."""
    document = tomlkit.document()
    document.add(tomlkit.comment("Filament profile by Metier. u95 is half a 95 % interval."))
    document.add("format", tomlkit.item(FORMAT))
    document.add("version", tomlkit.item(VERSION))
    document.add("written", tomlkit.item(written.replace(microsecond=0)))
    document.add("bench", _table(payload["bench"]))
    for kind, found in payload["values"].items():
        unit = KEYS[kind]
        document.add(
            kind,
            _table(
                {
                    unit: found["value"],
                    f"u95_{unit}": found["u95"],
                    f"in_force_{unit}": found["in_force"],
                    "status": found["status"],
                    "since": found["since"] and datetime.fromisoformat(found["since"]),
                    "trials": found["trials"],
                    "why": found["why"],
                }
            ),
        )
    return tomlkit.dumps(document)


def _table(values: dict[str, Any]) -> Any:
    """A table without what is not known: TOML has no null."""
    table = tomlkit.table()
    for key, value in values.items():
        if value is not None:
            table.add(key, value)
    return table


def write_profile(path: str, payload: dict[str, Any], *, overwrite: bool) -> None:
    """Write a profile whole or not at all.

    Raises:
        Refusal: the file exists and ``overwrite`` is not set, or it cannot be written.
    """
    folder = os.path.dirname(os.path.abspath(path))
    if os.path.isdir(path):
        raise Refusal(f"--write: {path} is a folder: name a file in it")
    if os.path.exists(path) and not overwrite:
        raise Refusal(f"--write: {path} exists: choose another name, or --force to write over it")
    text = profile_text(payload, datetime.now(UTC))
    part = None
    try:
        with tempfile.NamedTemporaryFile(
            "w", dir=folder, suffix=".part", delete=False, encoding="utf-8"
        ) as file:
            part = file.name
            file.write(text)
            file.flush()
            os.fsync(file.fileno())
        os.chmod(part, 0o666 & ~_umask())
        os.replace(part, path)
    except OSError as error:
        if part and os.path.exists(part):
            os.unlink(part)
        raise Refusal(f"--write: cannot write {path}: {error.strerror}") from None


def _umask() -> int:
    mask = os.umask(0)
    os.umask(mask)
    return mask
