"""A plate typed feature by feature: in its order where it is known, else by name and size."""

from collections.abc import Sequence

from metier.core.fit.plate import Feature, size_of
from metier.core.measure.readings import Instrument
from metier.core.refusal import Refusal
from metier.formats import quantity
from metier.formats.plate_csv import read_feature
from metier.words.asked import Asked


def ask_plate(known: Sequence[Feature], instrument: Instrument) -> Asked:
    """Ask for the features of a plate: in their order where it is known, else by name and size."""
    plate = {feature.name: feature for feature in known}

    def check(value_mm: float, place: str) -> None:
        if place in plate:
            _check_feature(plate[place]._replace(readings_mm=(value_mm,)), instrument)

    def read(text: str) -> Sequence[float]:
        if plate:
            return [quantity.read_length_mm(part, "size") for part in text.split("/")]
        feature = _named_feature(text)
        _check_feature(feature, instrument)
        return feature.readings_mm

    def running(values: list[float]) -> str:
        return f"{len(values)} reading{'s' if len(values) > 1 else ''}"

    if plate:
        what = "The features of the plate one by one, in mm: 9.82, or 9.82/9.84 for two angles."
    else:
        what = (
            "The features, each with the size drawn and the one measured: hole 10=9.82, post 6=6.1."
        )
    return Asked(
        "xy",
        what,
        tuple(plate) or ("feature …",),
        "Let the plate cool. Inside jaws: turn them in the hole for the largest reading. "
        "Outside jaws: across the post, above the first layers, without squeezing.",
        instrument,
        check,
        read,
        running,
    )


def typed_features(lines: Sequence[tuple[str, str]], known: Sequence[Feature]) -> list[Feature]:
    """Return the features that were typed; a known one asked for twice has both as its angles."""
    if not known:
        return [_named_feature(typed) for _, typed in lines]
    found = {feature.name: feature for feature in known}
    for name, typed in lines:
        more = [quantity.read_length_mm(part, name) for part in typed.split("/")]
        found[name] = found[name]._replace(readings_mm=(*found[name].readings_mm, *more))
    return [feature for feature in found.values() if feature.taken]


def _named_feature(text: str) -> Feature:
    kind, _, rest = text.strip().partition(" ")
    if kind.lower() not in ("hole", "post", "h", "p"):
        raise Refusal(f"{text[:40]!r}: begin with hole or post, as hole 10=9.82")
    feature = read_feature("hole" if kind.lower().startswith("h") else "post", rest)
    if not feature.taken:
        raise Refusal(f"{text[:40]!r} has no size measured: hole 10=9.82")
    return feature


def _check_feature(feature: Feature, instrument: Instrument) -> None:
    size_of(feature, instrument.repeatability_mm, instrument.zero_mm)
