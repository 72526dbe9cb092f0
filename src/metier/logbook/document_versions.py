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
    document["outcomes"] += [_diameter(row) for row in document["trials"] if _is_strand(row)]
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


def _is_strand(row: dict[str, Any]) -> bool:
    return row["test"] == "diameter" and isinstance(row["findings"], dict)


def _diameter(row: dict[str, Any]) -> dict[str, Any]:
    """Return what a diameter trial says of a value, which it did not say in version 2."""
    found, verdict = row["findings"], row["verdict"]
    to_type = round(found["diameter_mm"], 2) if verdict == "correct" else found["slicer_mm"]
    return {
        "trial": row["id"],
        "kind": "diameter",
        "value_now": found["slicer_mm"],
        "value_new": found["diameter_mm"],
        "u95": found["diameter_u95_mm"],
        "value_to_type": None if verdict == "recheck" else to_type,
        "sure_from": None,
        "sure_to": None,
        "rough": int(verdict == "unclear"),
    }
