"""Parts measured warm are larger than they will be: thermal expansion, D·α·ΔT."""

from metier.core.refusal import Refusal

# Sizes are those at this temperature (ISO 1).
REFERENCE_C = 20.0
# Linear expansion per kelvin, as makers of plastics state it.
EXPANSION_PER_K = {
    "pla": 68e-6,
    "petg": 60e-6,
    "pet": 60e-6,
    "abs": 90e-6,
    "asa": 95e-6,
    "pc": 68e-6,
    "pa": 90e-6,
    "nylon": 90e-6,
    "hips": 80e-6,
    "pp": 110e-6,
    "tpu": 150e-6,
}
_HOTTEST_C = 120.0


def shrinks_mm(size_mm: float, material: str, part_c: float) -> float:
    """Return by how much a size changes until the part is at 20 °C; below zero for a warm one.

    >>> round(shrinks_mm(20.0, "PLA", 45.0), 3)
    -0.034

    Raises:
        Refusal: a material whose expansion is not known, or no temperature of a part.
    """
    per_k = EXPANSION_PER_K.get(material.lower())
    if per_k is None:
        known = ", ".join(sorted(EXPANSION_PER_K)).upper()
        raise Refusal(
            f"how much {material[:40]} expands is not known: {known}; let the part cool instead"
        )
    if not -20 <= part_c <= _HOTTEST_C:
        raise Refusal(f"a part at {part_c:g} °C: from -20 to {_HOTTEST_C:g}")
    return -size_mm * per_k * (part_c - REFERENCE_C)
