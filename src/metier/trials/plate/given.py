"""Holes and posts as the options give them, or asked for one by one."""

from argparse import Namespace
from collections.abc import Mapping, Sequence
from functools import partial

from metier.core.errors import BadInput
from metier.core.fit.plate import Feature, shrinks_mm, size_of
from metier.core.measure.readings import Instrument
from metier.core.measure.thresholds import same
from metier.formats import quantity
from metier.formats.tables import read_feature, read_pin
from metier.logbook.inforce import opened_mm
from metier.trials.on_bench import Known, OnBench
from metier.trials.plate.kept import PlateSettings
from metier.trials.table import Row, Seeking, Source, given
from metier.words.missing import Asked

# What a plate is planned with where nothing else is said: small holes shrink most, and a wide
# span shows the scale.
_PLATE_MM = (4.0, 6.0, 10.0, 16.0, 30.0)
# A size off by less, relative, may be that feature's; what is off the other way than usual counts
# as off by so much more.
_BELONGS, _OTHER_WAY = 0.12, 0.02


def opened_then(bench: OnBench, name: str, planned: PlateSettings | None) -> float:
    """Return what of a compensation was opened for a fit when the plate was printed."""
    if planned is not None:
        return planned.hole_opened_mm if name == "hole" else planned.contour_opened_mm
    return opened_mm(bench.book, bench.setup, name) if bench.setup else 0.0


def given_hole(text: str, _: str) -> Feature:
    return read_feature("hole", text)


def given_post(text: str, _: str) -> Feature:
    return read_feature("post", text)


def given_pin(text: str, _: str) -> Feature:
    return read_pin(text)


def listed_features(options: Namespace) -> list[Feature]:
    return [*(options.hole or ()), *(options.pin or ()), *(options.post or ())]


def usual_plate() -> list[Feature]:
    return [Feature("hole", size) for size in _PLATE_MM] + [
        Feature("post", size) for size in _PLATE_MM
    ]


def part_warmth(options: Namespace, bench: OnBench) -> tuple[float | None, str | None]:
    """Return how warm the part is, and of what; nothing of a cool one."""
    if options.part_temperature is None:
        return None, None
    material = options.material or (bench.setup and bench.setup.spool.material)
    if not material:
        raise BadInput("--material is needed with --part-temperature: plastics expand differently")
    shrinks_mm(1.0, material, options.part_temperature)
    return options.part_temperature, material


def corrected_feature(feature: Feature, jaw_land_mm: float | None, facets: int | None) -> Feature:
    """Return a feature with the jaws' lands and the facets that hold for all holes."""
    if feature.kind != "hole":
        return feature
    land_mm = feature.jaw_land_mm or (jaw_land_mm if feature.go_mm is None else None)
    return feature._replace(jaw_land_mm=land_mm, facets=feature.facets or facets)


def remarks_on(settings: PlateSettings, sources: Mapping[str, str]) -> tuple[str, ...]:
    """Return what is to be said of the compensations set, of the kinds that are on the plate."""
    kinds = {feature.kind for feature in settings.features if not feature.missing}
    named = (("hole", sources["hole"]), ("post", sources["contour"]))
    said = [remark for kind, remark in named if remark and kind in kinds]
    if settings.part_c is not None and settings.material is not None:
        change_mm = shrinks_mm(10.0, settings.material, settings.part_c)
        said.append(
            f"measured at {settings.part_c:g} °C: every 10 mm of {settings.material} come out "
            f"{change_mm:+.3f} mm once cool, and that is allowed for"
        )
    return tuple(said)


def compensation_set(name: str) -> Source:
    """Return the source of the compensation that was set while printing; what it says of it is to
    be said on the sheet."""

    def source(seeking: Seeking, row: Row) -> Known:
        given_mm, known_mm = given(seeking, row), seeking.bench.stands(name).in_force
        if given_mm is None:
            if seeking.plan:
                return Known(getattr(seeking.plan.settings, row.name))
            if known_mm is None:
                return Known(
                    0.0, f"no {name} compensation is known to be set: 0 is taken (--{name}-set)"
                )
            said = f"printed with {name} compensation {known_mm:+.2f}, as the logbook has it"
            return Known(known_mm, said)
        mm: float = given_mm.value
        if known_mm is None or same(known_mm, mm):
            return Known(mm)
        before = f"the logbook had {name} {known_mm:+.2f} in force"
        return Known(mm, f"{before}; you gave {mm:+.2f}, which is used")

    return source


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
        elsewhere=partial(_elsewhere, plate) if plate else None,
    )


def _elsewhere(plate: Mapping[str, Feature], size_mm: float, place: str) -> str | None:
    """Return the feature that a size is likely of where it is none of its place: holes come out
    smaller, posts larger."""

    def off(feature: Feature) -> float:
        share = size_mm / feature.nominal_mm - 1
        return abs(share) + _OTHER_WAY * ((share > 0) == (feature.kind == "hole"))

    nearest = min(plate.values(), key=off)
    mistaken = off(plate[place]) > _BELONGS > off(nearest)
    return nearest.name if mistaken else None


def typed_features(lines: Sequence[tuple[str, str]], known: Sequence[Feature]) -> list[Feature]:
    """Return the features that were typed; a known one asked for twice has both as its angles."""
    if not known:
        return [_named_feature(typed) for _, typed in lines]
    by_name = {feature.name: feature for feature in known}
    for name, typed in lines:
        more = [quantity.read_length_mm(part, name) for part in typed.split("/")]
        by_name[name] = by_name[name]._replace(readings_mm=(*by_name[name].readings_mm, *more))
    return [feature for feature in by_name.values() if feature.taken]


def _named_feature(text: str) -> Feature:
    kind, _, rest = text.strip().partition(" ")
    if kind.lower() not in ("hole", "post", "h", "p"):
        raise BadInput(f"{text[:40]!r}: begin with hole or post, as hole 10=9.82")
    feature = read_feature("hole" if kind.lower().startswith("h") else "post", rest)
    if not feature.taken:
        raise BadInput(f"{text[:40]!r} has no size measured: hole 10=9.82")
    return feature


def _check_feature(feature: Feature, instrument: Instrument) -> None:
    size_of(feature, instrument.repeatability_mm, instrument.zero_mm)
