"""The filament profile as TOML; its JSON Schema is ``profile.schema.json`` beside this module."""

from datetime import datetime
from typing import Any

import tomlkit

from metier import clock
from metier.clock import stored_time
from metier.core.values import VALUES
from metier.whole_file import write_whole

FORMAT = "metier-profile"
VERSION = 1


def profile_text(payload: dict[str, Any], written: datetime) -> str:
    """Return a profile, as `metier profile --json` gives it, as TOML."""
    document = tomlkit.document()
    document.add(tomlkit.comment("Filament profile by Metier. u95 is half a 95 % interval."))
    document.add("format", tomlkit.item(FORMAT))
    document.add("version", tomlkit.item(VERSION))
    document.add("written", tomlkit.item(written.replace(microsecond=0)))
    document.add("bench", _table(payload["bench"]))
    for name, standing in payload["values"].items():
        unit = VALUES[name].toml_key
        document.add(
            name,
            _table(
                {
                    unit: standing["value"],
                    f"u95_{unit}": standing["u95"],
                    f"in_force_{unit}": standing["in_force"],
                    "status": standing["status"],
                    "since": standing["since"] and stored_time(standing["since"]),
                    "trials": standing["trials"],
                    "why": standing["why"],
                }
            ),
        )
    if payload.get("flow_by_speed"):
        rows = tomlkit.aot()
        for at_speed in payload["flow_by_speed"]:
            rows.append(_table(at_speed))
        document.add("flow_by_speed", rows)
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
        BadInput: as `write_whole`.
    """
    write_whole(path, profile_text(payload, clock.now()), overwrite=overwrite)
