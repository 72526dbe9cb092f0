"""What a plate says, in the light of those before."""

import math
from typing import TYPE_CHECKING, NamedTuple

from metier.core.fit.plate import Repeated, plates_differ_mm
from metier.core.verdicts import Verdict
from metier.show.figures import came_text
from metier.trials.plate.kept import PlateResult

if TYPE_CHECKING:
    # Fitting a plate takes NumPy, which the everyday commands do without.
    from metier.core.fit.compensation import PlateFinding
    from metier.core.fit.offsets import PlateFit


class Judged(NamedTuple):
    """The fit of a plate, and what to type by it."""

    fit: "PlateFit"
    finding: "PlateFinding"

    @property
    def verdict(self) -> Verdict:
        return self.finding.verdict

    @property
    def notes(self) -> tuple[str, ...]:
        return self.finding.notes


class PlateContext(NamedTuple):
    """The plates before on this bench, newest first, since something changed that they hang on."""

    before: tuple[PlateResult, ...] = ()

    @property
    def differ_mm(self) -> float:
        """By how much plates differ per side, as far as those before tell."""
        # What was opened for a fit meanwhile is no difference of the plates.
        holes = [(plate.hole_measured_mm, plate.hole_u_fit_mm) for plate in self.before]
        contours = [(plate.contour_measured_mm, plate.contour_u_fit_mm) for plate in self.before]
        return plates_differ_mm(
            [
                [Repeated(new, u) for new, u in group if new is not None and u is not None]
                for group in (holes, contours)
            ]
        )


def came_so(finding: "PlateFinding", context: PlateContext) -> list[str]:
    """Return whether this plate needs what the plate before let expect."""
    said = []
    for before in context.before[:1]:
        expected = {
            "hole": (finding.hole, before.hole_new_mm, before.hole_u95_mm),
            "contour": (finding.contour, before.contour_new_mm, before.contour_u95_mm),
        }
        for name, (kept, new_mm, u95_mm) in expected.items():
            if kept is None or new_mm is None or u95_mm is None:
                continue
            needs_mm = new_mm - kept.set_mm
            within_mm = math.hypot(u95_mm, kept.needed.u95_mm)
            came = came_text(abs(kept.lacking_mm - needs_mm) <= within_mm)
            said.append(f"{name} {needs_mm:+.3f} ± {within_mm:.3f} mm per side: {came}")
    return said
