"""Tables by flow: lengths fed at rising flow, and coupons broken."""

import math

from metier.core.limit.shortfall import Fed
from metier.core.refusal import Refusal
from metier.formats.quantity import read_length_mm, read_positive
from metier.formats.table_csv import read_table


def read_feed(path: str) -> list[Fed]:
    """Read ``flow_mm3_s,asked_mm,moved_mm``.

    Raises:
        Refusal: not such a file; names the column or the row.
    """
    return [
        Fed(
            read_positive(cells["flow_mm3_s"], f"{where}, flow_mm3_s", ("mm³/s",)),
            read_length_mm(cells["asked_mm"], f"{where}, asked_mm"),
            read_length_mm(cells["moved_mm"], f"{where}, moved_mm"),
        )
        for where, cells in read_table(path, ("flow_mm3_s", "asked_mm", "moved_mm"))
    ]


def read_coupons(path: str, diameter_mm: float | None) -> dict[float, list[float]]:
    """Read ``flow_mm3_s,strength_mpa``, or ``force_n`` with the coupon's diameter; MPa by flow.

    Raises:
        Refusal: not such a file, or forces without a diameter.
    """
    rows = read_table(path, ("flow_mm3_s",), ("strength_mpa", "force_n"))
    found: dict[float, list[float]] = {}
    for where, cells in rows:
        flow = read_positive(cells["flow_mm3_s"], f"{where}, flow_mm3_s", ("mm³/s",))
        if cells["strength_mpa"]:
            strength = read_positive(cells["strength_mpa"], f"{where}, strength_mpa", ("mpa",))
        elif cells["force_n"]:
            force_n = read_positive(cells["force_n"], f"{where}, force_n", ("n",))
            if diameter_mm is None:
                raise Refusal(
                    "--coupon-diameter is needed: the file has breaking forces, and strength is "
                    "force by cross-section"
                )
            strength = force_n / (math.pi * diameter_mm**2 / 4)
        else:
            raise Refusal(f"{where} has neither strength_mpa nor force_n")
        found.setdefault(flow, []).append(strength)
    return found
