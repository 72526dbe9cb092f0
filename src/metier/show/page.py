"""A page for a browser, whole in one file: elements, sheets as HTML, pictures that go with light
and dark. What is in it is a tree of elements: no word from outside can be taken for markup."""

import re
from collections.abc import Iterator, Sequence
from importlib.resources import files
from itertools import groupby
from xml.etree import ElementTree

from metier.show.plot_colours import AS_VARIABLES
from metier.show.sheet import Sheet, SheetPart, clean

Element = ElementTree.Element
Child = Element | str | None

_MANY, _NARROW = 12, 42
_SVG = re.compile(r"\{[^}]*\}")
_COLOUR = re.compile("#[0-9a-fA-F]{6}")
_OWN_ID = re.compile(r"url\(#([^)]*)\)")


def element(tag: str, *children: Child, kind: str = "", **attributes: str) -> Element:
    """Return an element; ``kind`` is its class, words are cleaned as for a terminal.

    >>> ElementTree.tostring(element("p", "1 < 2 ", element("b", "so"), kind="quiet"))
    b'<p class="quiet">1 &lt; 2 <b>so</b></p>'
    """
    made = Element(tag, {"class": kind} | attributes if kind else attributes)
    last: Element | None = None
    for child in children:
        if isinstance(child, Element):
            made.append(child)
            last = child
        elif child and last is None:
            made.text = (made.text or "") + clean(child)
        elif child and last is not None:
            last.tail = (last.tail or "") + clean(child)
    return made


def page(title: str, *body: Child) -> str:
    """Return a page that loads nothing, in light or dark as its reader has it, on A4 in print."""
    head = element(
        "head",
        element("meta", charset="utf-8"),
        element("title", title),
        element("meta", name="viewport", content="width=device-width, initial-scale=1"),
        element("meta", name="color-scheme", content="light dark"),
    )
    style = element("style")
    # Nothing in it is markup; the serialiser leaves it as it is.
    style.text = files("metier.show").joinpath("page.css").read_text(encoding="utf-8")
    head.append(style)
    whole = element("html", head, element("body", *body), lang="en")
    text = ElementTree.tostring(whole, encoding="unicode", method="html")
    return f"<!DOCTYPE html>\n{text}\n"


def of_sheet(sheet: Sheet) -> list[Element]:
    """Return what a sheet says, without its title and what it proposes next."""
    return [
        made for kind, parts in groupby(sheet.parts, _block) for made in _blocks(kind, list(parts))
    ]


def _block(part: SheetPart) -> str:
    return "rows" if part.kind in ("row", "note") else part.kind


def _blocks(kind: str, parts: Sequence[SheetPart]) -> Iterator[Element]:
    if kind == "act":
        for part in parts:
            yield element("p", element("span", part.first, kind="act"), f"  {part.second}")
    elif kind == "verdict":
        for part in parts:
            yield element(
                "p", element("span", part.first.capitalize(), kind="verdict"), f": {part.second}"
            )
    elif kind == "rows":
        rows = [_row(part) for part in parts]
        yield element("table", element("tbody", *rows))
    else:
        lines = "\n".join(part.first for part in parts).strip("\n")
        # Readings of many places stand in two columns.
        narrow = all(len(line) <= _NARROW for line in lines.split("\n"))
        if lines:
            yield element("pre", lines, kind="many" * (narrow and lines.count("\n") >= _MANY))


def _row(part: SheetPart) -> Element:
    label = element("th", part.first, scope="row", kind="quiet")
    if part.kind == "note":
        return element("tr", label, element("td", part.second, colspan="2"))
    if not part.third:
        return element("tr", label, element("td", part.second, colspan="2"))
    return element("tr", label, element("td", part.second), element("td", part.third))


def figure_of(svg: str, name: str, caption: str) -> Element:
    """Return a picture as a part of the page, in its colours; ``name`` keeps its names apart from
    those of other pictures."""
    drawn = ElementTree.fromstring(svg)
    for part in list(drawn):
        if _SVG.sub("", part.tag) == "metadata":
            drawn.remove(part)
    for part in drawn.iter():
        part.tag = _SVG.sub("", part.tag)
        part.attrib = {
            _SVG.sub("", key): _kept(_SVG.sub("", key), value, name)
            for key, value in part.attrib.items()
        }
    drawn.attrib = {"viewBox": drawn.attrib["viewBox"], "role": "img", "aria-label": caption}
    return element("figure", drawn, element("figcaption", caption))


def _kept(key: str, value: str, name: str) -> str:
    if key == "id":
        return f"{name}-{value}"
    if key == "href" and value.startswith("#"):
        return f"#{name}-{value[1:]}"
    value = _OWN_ID.sub(rf"url(#{name}-\1)", value)
    return _COLOUR.sub(lambda match: AS_VARIABLES.get(match[0].lower(), match[0]), value)
