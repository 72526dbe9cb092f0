"""Hole and contour compensation out of a plate's offsets, or out of gauges alone."""

from collections.abc import Sequence
from typing import Literal, NamedTuple

from metier.core.fit.offsets import Offset, PlateFit
from metier.core.fit.plate import Feature, FeatureKind
from metier.core.measure.thresholds import exceeds, round_to
from metier.core.verdicts import Verdict

ROUND_TO_MM = 0.01
# An offset known less well than this settles nothing.
_KNOWN_WITHIN_MM = 0.05
_ROUGH_MM = 0.1
_LIP_MM = 0.05

Keeping = Literal["keep", "correct", "unclear"]


class ToType(NamedTuple):
    """One compensation: what was set while printing, what is still needed, what to type.

    ``to_type_mm`` is the present one where nothing need change, None while it cannot be told.
    ``opened_mm`` of it was opened for a fit, per side: features should be off by that much.
    """

    set_mm: float
    needed: Offset
    to_type_mm: float | None
    answer: Keeping
    opened_mm: float = 0.0

    @property
    def lacking_mm(self) -> float:
        """What is still needed per side, the opening for a fit included."""
        return self.needed.per_side_mm + self.opened_mm

    @property
    def change_mm(self) -> float:
        """What typing it in changes, per side."""
        return 0.0 if self.to_type_mm is None else self.to_type_mm - self.set_mm


class PlateFinding(NamedTuple):
    """What a plate says should be typed in; None for a kind that is not on it."""

    hole: ToType | None
    contour: ToType | None
    verdict: Verdict
    notes: tuple[str, ...]


def direction(kind: FeatureKind, per_side_mm: float) -> str:
    """Return what a compensation does, in words.

    >>> direction("hole", 0.1), direction("post", -0.04)
    ('enlarge holes by 0.10 mm per side', 'shrink outlines by 0.04 mm per side')
    """
    what = "holes" if kind == "hole" else "outlines"
    verb = "enlarge" if per_side_mm >= 0 else "shrink"
    return f"{verb} {what} by {abs(per_side_mm):.2f} mm per side"


def judge_plate(
    fit: PlateFit,
    hole_set_mm: float,
    contour_set_mm: float,
    round_to_mm: float = ROUND_TO_MM,
    *,
    hole_opened_mm: float = 0.0,
    contour_opened_mm: float = 0.0,
) -> PlateFinding:
    """Judge a plate printed at the given compensations: measured value plus what was set.

    What was opened for a fit is to stay: holes should measure that much more, outlines less.
    """
    hole = fit.hole and _to_type(fit.hole, hole_set_mm, hole_opened_mm, round_to_mm)
    contour = fit.contour and _to_type(fit.contour, contour_set_mm, contour_opened_mm, round_to_mm)
    verdict = _verdict(fit, hole, contour)
    return PlateFinding(hole, contour, verdict, tuple(_notes(fit, verdict)))


def _to_type(needed: Offset, set_mm: float, opened_mm: float, round_to_mm: float) -> ToType:
    lacking_mm = needed.per_side_mm + opened_mm
    if exceeds(abs(lacking_mm), needed.u95_mm):
        typed = round_to(set_mm + lacking_mm, round_to_mm)
        return ToType(set_mm, needed, typed, "correct", opened_mm)
    if exceeds(needed.u95_mm, _KNOWN_WITHIN_MM):
        return ToType(set_mm, needed, None, "unclear", opened_mm)
    return ToType(set_mm, needed, set_mm, "keep", opened_mm)


def _verdict(fit: PlateFit, hole: ToType | None, contour: ToType | None) -> Verdict:
    if exceeds(fit.scatter_mm, _ROUGH_MM):
        return Verdict(
            "recheck",
            f"the features scatter by {fit.scatter_mm:.2f} mm about any pattern: no compensation "
            "suits them all",
            ("misread or mixed up features", "a plate printed at several settings", "slack belts"),
        )
    if fit.free_scale is not None and fit.free_scale_u95 is not None:
        grown = fit.free_scale - 1
        if exceeds(grown, 0.002) and exceeds(grown, fit.free_scale_u95):
            return Verdict(
                "recheck",
                f"all comes out {100 * grown:.2f} % too large in proportion to its size: nothing "
                "grows as it cools",
                ("steps per mm of the axes", "a scale set in the slicer", "the sizes drawn"),
            )
    words = [
        f"{direction(kind, fitted.lacking_mm)} ± {fitted.needed.u95_mm:.2f}"
        for kind, fitted in _kinds(hole, contour)
        if fitted.answer == "correct"
    ]
    if words:
        return Verdict("correct", " and ".join(words))
    unsure = [kind for kind, fitted in _kinds(hole, contour) if fitted.answer == "unclear"]
    if unsure:
        return Verdict(
            "unclear",
            f"what {' and '.join(f'{kind}s' for kind in unsure)} are off by is within its ±",
            (f"more {unsure[0]}s, of several sizes", "each measured at two or three angles"),
        )
    return Verdict("keep", "what they are off by is less than calipers can tell")


def _kinds(hole: ToType | None, contour: ToType | None) -> list[tuple[FeatureKind, ToType]]:
    kindses: list[tuple[FeatureKind, ToType]] = []
    if hole:
        kindses.append(("hole", hole))
    if contour:
        kindses.append(("post", contour))
    return kindses


def _notes(fit: PlateFit, verdict: Verdict) -> list[str]:
    notes = [row.measured.note for row in fit.rows if row.measured.note]
    for row in fit.rows:
        if row.left_out:
            notes.append(
                _left_out(row.measured.feature.kind, row.measured.feature.name, row.off_mm)
            )
    if any(row.left_out for row in fit.rows):
        pairs = (("hole", fit.hole_with_all), ("contour", fit.contour_with_all))
        words = [f"{name} {fitted.per_side_mm:+.3f}" for name, fitted in pairs if fitted]
        notes.append(f"with all features it would be {' and '.join(words)} mm per side")
    # Of a plate that is to be looked at first, no scale is to be set.
    if fit.freed and fit.scale < 1 and verdict.name != "recheck":
        notes.append(
            f"parts come out {100 * (1 - fit.scale):.2f} ± {100 * fit.scale_u95:.2f} % short in "
            f"proportion to their size: a scale of {100 / fit.scale:.2f} % is the cure for that, "
            "not compensation"
        )
    notes += _shape_notes(fit)
    for kind, name in (("hole", "hole"), ("post", "post")):
        missing = [feature for feature in fit.missing if feature.startswith(name)]
        if missing:
            least = fit.smallest.get(kind)  # type: ignore[call-overload]
            best = f"; the smallest that did is {least:g} mm" if least else ""
            notes.append(f"{', '.join(missing)} did not print{best}")
    return notes


def _left_out(kind: FeatureKind, name: str, off_mm: float) -> str:
    side = "larger" if off_mm > 0 else "smaller"
    remedy = f"draw it {abs(off_mm):.2f} mm {'smaller' if off_mm > 0 else 'larger'}"
    if kind == "hole" and off_mm < 0:
        remedy += ", or drill it"
    return (
        f"{name} is {abs(off_mm):.2f} mm {side} than the pattern of the others and does not count: "
        f"measure it again; if it stays so, {remedy}"
    )


def _shape_notes(fit: PlateFit) -> list[str]:
    notes = []
    if fit.axes and fit.axes.differ:
        x, y = fit.axes.percent["x"], fit.axes.percent["y"]
        notes.append(
            f"x comes out {x:+.2f} %, y {y:+.2f} %: that is a matter of the axes (belt, "
            "steps), not of compensation"
        )
    for slope in fit.slopes:
        if slope.shows:
            notes.append(
                f"sizes along {slope.axis} come out {100 * (slope.slope - 1):+.2f} ± "
                f"{100 * slope.u95:.2f} % off: the steps of that axis x {slope.steps_factor:.4f} "
                "would mend it; print a second plate before you type that"
            )
    for name, lip_mm in fit.lips:
        if exceeds(lip_mm, _LIP_MM):
            notes.append(
                f"the foot of {name} bulges by {lip_mm:.2f} mm per side: the first layer is "
                "squeezed; raise the nozzle a little there, and measure above it"
            )
    for row in fit.rows:
        uneven = row.measured.out_of_round_mm
        if uneven is not None and exceeds(uneven, 0.1):
            notes.append(f"{row.measured.feature.name} is {uneven:.2f} mm out of round")
    return notes


def bound_text(feature: Feature) -> str:
    """Return what a gauge that goes tells."""
    assert feature.go_mm is not None
    return f"{feature.name} takes a gauge of {feature.go_mm:g} mm: it measures at least that"


def bound_note(feature: Feature, fit: PlateFit) -> str:
    """Return what a gauge that goes tells, held against what the other holes let expect."""
    text = f"{bound_text(feature)}, a bound that counts for nothing else"
    if fit.hole is None or feature.go_mm is None:
        return text
    expected_mm = feature.nominal_mm - 2 * fit.hole.per_side_mm
    if exceeds(feature.go_mm, expected_mm + 2 * fit.hole.u95_mm):
        return f"{text}; by the others it should be {expected_mm:.2f}: look at both again"
    return f"{text}; by the others it is {expected_mm:.2f}, which agrees"


def bounds_alone(features: Sequence[Feature]) -> tuple[PlateFit, PlateFinding]:
    """Return what gauges that go tell where nothing else was measured: no compensation."""
    nothing = PlateFit(
        hole=None,
        contour=None,
        kappa_mm2=None,
        scale=1.0,
        scale_u95=0.0,
        freed=False,
        free_scale=None,
        free_scale_u95=None,
        scatter_mm=0.0,
        dof=0,
        rows=(),
        hole_with_all=None,
        contour_with_all=None,
        axes=None,
        lips=(),
        smallest={},
        missing=(),
    )
    said = "; ".join(bound_text(feature) for feature in features)
    verdict = Verdict(
        "unclear",
        f"{said}, and nothing more is told",
        ("the next gauge that does not go in (--pin 10=9.7/9.8)", "other holes measured beside it"),
    )
    return nothing, PlateFinding(None, None, verdict, ())
