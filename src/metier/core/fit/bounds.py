"""A gauge that goes into a hole, and nothing larger was tried: a bound, and no size."""

from collections.abc import Sequence

from metier.core.fit.compensation import PlateFinding
from metier.core.fit.offsets import PlateFit
from metier.core.fit.plate import Feature
from metier.core.measure.thresholds import exceeds
from metier.core.verdicts import Verdict


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
    said = "; ".join(bound_text(one) for one in features)
    verdict = Verdict(
        "unclear",
        f"{said}, and nothing more is told",
        ("the next gauge that does not go in (--pin 10=9.7/9.8)", "other holes measured beside it"),
    )
    return nothing, PlateFinding(None, None, verdict, ())
