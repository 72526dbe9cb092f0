"""Labels for rolls: words and a QR code in so many millimetres, one or several on a sheet."""

import os
from collections.abc import Sequence
from io import BytesIO
from typing import NamedTuple

import segno
from matplotlib import rc_context
from matplotlib.axes import Axes
from matplotlib.backends.backend_pdf import PdfPages
from matplotlib.figure import Figure
from matplotlib.font_manager import FontProperties
from matplotlib.patches import PathPatch, Rectangle
from matplotlib.path import Path
from matplotlib.textpath import TextPath
from matplotlib.transforms import Affine2D

from metier.core.errors import BadInput
from metier.whole_file import write_whole

_MM_PER_INCH, _PT_PER_MM = 25.4, 72 / 25.4
_PNG_DPI = 300
_MARGIN_MM, _SHEET_MARGIN_MM, _APART_MM = 1.5, 8.0, 2.0
# White around a code (ISO/IEC 18004), in its modules; what phones still read; what eyes do.
_QUIET_MODULES, _LEAST_MODULE_MM, _LEAST_PT = 4, 0.3, 4.0
# The name is so much larger than the other lines; lines are so far apart, in heights of letters.
_NAME, _LEADING = 1.9, 1.3


class Size(NamedTuple):
    """Width and height, in mm."""

    width_mm: float
    height_mm: float


class Label(NamedTuple):
    """What stands on a label: the roll's name, below it words that may share a line, and what its
    code holds."""

    name: str
    words: tuple[tuple[str, ...], ...]
    code: str


def write_labels(
    path: str, labels: Sequence[Label], size: Size, sheet: Size | None, *, overwrite: bool
) -> int:
    """Write labels as PDF, SVG or PNG: one, or as many on sheets as there are; returns how many
    sheets. They come out in their true size where they are printed at 100 %.

    Raises:
        BadInput: no room for it, or several sheets in a file that has one.
    """
    pages = _pages(labels, size, sheet)
    ending = os.path.splitext(path)[1][1:].lower()
    if len(pages) > 1 and ending != "pdf":
        raise BadInput(f"{path}: {len(labels)} labels take {len(pages)} sheets, as only a pdf has")
    out, title = BytesIO(), ", ".join(dict.fromkeys(label.name for label in labels))
    with rc_context({"svg.fonttype": "path", "pdf.fonttype": 42}):
        if ending == "pdf":
            with PdfPages(out, metadata={"Title": title}) as pdf:
                for figure in pages:
                    pdf.savefig(figure)
        else:
            pages[0].savefig(out, format=ending, dpi=_PNG_DPI, metadata={"Title": title})
    write_whole(path, out.getvalue(), overwrite=overwrite)
    return len(pages)


def _pages(labels: Sequence[Label], size: Size, sheet: Size | None) -> list[Figure]:
    if sheet is None:
        if len(labels) > 1:
            raise BadInput(f"{len(labels)} labels need a sheet: --sheet 210x297")
        figure, axes = _blank(size)
        _draw(axes, labels[0], size, 0, 0)
        return [figure]
    across, down = (
        int((room - 2 * _SHEET_MARGIN_MM + _APART_MM + 1e-9) // (long + _APART_MM))
        for room, long in zip(sheet, size, strict=True)
    )
    if across < 1 or down < 1:
        raise BadInput(
            f"--sheet: a label of {size.width_mm:g} x {size.height_mm:g} mm has no room on "
            f"{sheet.width_mm:g} x {sheet.height_mm:g}"
        )
    pages = []
    for first in range(0, len(labels), across * down):
        figure, axes = _blank(sheet)
        for place, label in enumerate(labels[first : first + across * down]):
            x = _SHEET_MARGIN_MM + place % across * (size.width_mm + _APART_MM)
            row = place // across + 1
            y = sheet.height_mm - _SHEET_MARGIN_MM + _APART_MM - row * (size.height_mm + _APART_MM)
            _draw(axes, label, size, x, y)
            # Where to cut.
            edge = Rectangle((x, y), *size, fill=False, edgecolor="#999999", linewidth=0.3)
            axes.add_patch(edge)
        pages.append(figure)
    return pages


def _blank(size: Size) -> tuple[Figure, Axes]:
    """Return paper of that size, measured in mm from its lower left corner."""
    figure = Figure(figsize=(size.width_mm / _MM_PER_INCH, size.height_mm / _MM_PER_INCH))
    axes = figure.add_axes((0, 0, 1, 1))
    axes.set_xlim(0, size.width_mm)
    axes.set_ylim(0, size.height_mm)
    axes.axis("off")
    return figure, axes


def _draw(axes: Axes, label: Label, size: Size, x_mm: float, y_mm: float) -> None:
    """Draw a label with its lower left corner there: the code on the right, words beside it."""
    code_mm = min(size.height_mm, size.width_mm / 2)
    code = segno.make(label.code, error="l", micro=False)
    modules = code.symbol_size(border=_QUIET_MODULES)[0]
    words_mm = size.width_mm - code_mm - 2 * _MARGIN_MM
    high_mm = size.height_mm - 2 * _MARGIN_MM
    small_pt, lines = max(
        _sized([", ".join(words) for words in label.words], words_mm, high_mm),
        _sized([word for words in label.words for word in words], words_mm, high_mm),
    )
    letter_mm = high_mm / _LEADING / (_NAME + len(lines))
    name_pt = _PT_PER_MM * min(_NAME * letter_mm, words_mm / _wide_mm(label.name, bold=True))
    if code_mm / modules < _LEAST_MODULE_MM or min(small_pt, name_pt) < _LEAST_PT:
        raise BadInput(
            f"--size: {size.width_mm:g} x {size.height_mm:g} mm is too small for what is to stand "
            "on it: 62x29 is usual, 100x40 holds long names"
        )
    left, top = x_mm + _MARGIN_MM, y_mm + size.height_mm - _MARGIN_MM
    axes.text(left, top, label.name, fontsize=name_pt, weight="bold", va="top", parse_math=False)
    step_mm = _LEADING * letter_mm
    for place, line in enumerate(lines):
        at = top - step_mm * (_NAME + place)
        axes.text(left, at, line, fontsize=small_pt, va="top", parse_math=False)
    corner = (x_mm + size.width_mm - code_mm, y_mm + (size.height_mm - code_mm) / 2)
    axes.add_patch(_modules(code, corner, code_mm / modules))


def _sized(lines: list[str], words_mm: float, high_mm: float) -> tuple[float, list[str]]:
    """Return how large lines may be below a name, in points: as the height lets them, smaller
    where one of them is too long."""
    letter_mm = high_mm / _LEADING / (_NAME + len(lines))
    return _PT_PER_MM * min(letter_mm, words_mm / max(map(_wide_mm, lines))), lines


def _wide_mm(text: str, *, bold: bool = False) -> float:
    """Return how wide words are in letters of 1 mm."""
    font = FontProperties(weight="bold" if bold else "normal")
    return max(float(TextPath((0, 0), text, size=1, prop=font).get_extents().width), 0.1)


def _modules(code: segno.QRCode, corner: tuple[float, float], module_mm: float) -> PathPatch:
    """Return the dark of a code as one shape, whose runs of modules are whole."""
    rows = list(code.matrix_iter(border=_QUIET_MODULES))
    shapes = []
    for down, row in enumerate(rows):
        y = corner[1] + (len(rows) - 1 - down) * module_mm
        start = None
        for across, dark in enumerate((*row, 0)):
            if dark and start is None:
                start = across
            elif not dark and start is not None:
                x, long = corner[0] + start * module_mm, (across - start) * module_mm
                placed = Affine2D().scale(long, module_mm).translate(x, y)
                shapes.append(Path.unit_rectangle().transformed(placed))
                start = None
    return PathPatch(Path.make_compound_path(*shapes), facecolor="black", linewidth=0)
