"""Exports of older versions, brought up to date."""

from typing import Any


def of_first_version(document: dict[str, Any]) -> None:
    """Bring a document of version 1 up to date: there only the last withdrawal was kept."""
    document["fates"] = [
        {"moment": row["withdrawn"], "trial": row["id"], "withdrawn": 1}
        for row in document["trials"]
        if row["withdrawn"] is not None
    ]
    for row in document["trials"]:
        row["draft"] = None
    for row in document["outcomes"]:
        row.setdefault("sure_from", None)
        row.setdefault("sure_to", None)
        row.setdefault("rough", 0)
    for row in document["printers"]:
        if row["line_model"] == "plain":
            row["line_model"] = None


def of_second_version(document: dict[str, Any]) -> None:
    """Bring a document of version 2 up to date: there nothing could be taken out of use."""
    document["edits"], document["preferences"] = [], []
    for title in ("printers", "nozzles", "spools", "instruments"):
        for row in document[title]:
            row["retired"], row["note"] = 0, None
    for row in document["spools"]:
        row["temperature_c"] = None
    for row in document["instruments"]:
        row["reach_mm"] = None
    for row in document["trials"]:
        row["note"] = None
    for row in document["changes"]:
        row["withdrawn"] = None
    for row in document["entries"]:
        row["withdrawn"], row["opened_mm"], row["found"] = None, None, 0


def of_third_version(document: dict[str, Any]) -> None:
    """Bring a document of version 3 up to date: there no part was written ready to print."""
    for row in document["printers"]:
        row.update(dict.fromkeys(_OF_PRINTERS))
    for row in document["spools"]:
        row.update(dict.fromkeys(_OF_SPOOLS))


def of_fourth_version(document: dict[str, Any]) -> None:
    """Bring a document of version 4 up to date: there no printer was spoken to."""
    for row in document["printers"]:
        row.update({"port": None, "baud": None})


def of_fifth_version(document: dict[str, Any]) -> None:
    """Bring a document of version 5 up to date: there readings were all called millimetres."""
    for row in document["readings"]:
        row["value"] = row.pop("value_mm")
    for row in document["instruments"]:
        row.update(dict.fromkeys(_OF_SCALES))
    for row in document["bench"]:
        row["speed_mm_s"] = None


def of_sixth_version(document: dict[str, Any]) -> None:
    """Bring a document of version 6 up to date: there no bed had its highest."""
    for row in document["printers"]:
        row.update({"hottest_bed_c": None, "steps_in": None})


def of_seventh_version(document: dict[str, Any]) -> None:
    """Bring a document of version 7 up to date: there no printer had a height."""
    for row in document["printers"]:
        row.update({"bed_z_mm": None, "head_round_mm": None, "head_above_mm": None})


_OF_SCALES = ("accuracy_g", "resolution_g", "zero_g")
_OF_PRINTERS = (
    *("bed_x_mm", "bed_y_mm", "origin", "accel_mm_s2", "hottest_c", "retract_mm"),
    *("start_gcode", "end_gcode"),
)
_OF_SPOOLS = ("bed_c", "fan_percent", "hottest_c")
