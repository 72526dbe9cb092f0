"""The compensations that are set in a slicer, and that lines of Metier's own are moved by."""

from typing import NamedTuple


class Compensated(NamedTuple):
    """The compensations that are set: by how much holes and outlines grow, a side, in mm."""

    hole_mm: float = 0.0
    contour_mm: float = 0.0

    @property
    def words(self) -> str:
        """What is to be set in a slicer."""
        return f"hole {self.hole_mm:+.2f}, contour {self.contour_mm:+.2f} mm per side, as planned"
