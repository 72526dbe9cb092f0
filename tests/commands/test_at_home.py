"""A report, a label, a template, a shell that completes: what leaves Metier for other programs."""

import configparser
import io
import json
import re
import shutil
import subprocess
import tomllib
from base64 import b64decode
from pathlib import Path
from xml.etree import ElementTree

import html5lib
import pytest
import zxingcpp
from PIL import Image

from tests.conftest import METIER
from tests.doc_examples import ROOT

WALL = "flow --width 0.5 --walls 1 --layer 0.2 --flow 100 --read 0.52 0.53 0.52 0.53"
HOSTILE = "<script>alert(1)</script> & <b>"


@pytest.fixture
def bench(heron):
    """A bench with a cube, a value that is doubtful, and words that look like markup."""
    photo = Image.new("RGB", (3000, 2000), "green")
    exif = Image.Exif()
    exif[0x010E] = "where I live"
    photo.save(heron.folder / "cube.jpg", exif=exif)
    heron.json(f"{WALL} --photo cube.jpg --looks ridges", "--note", HOSTILE)
    heron.json("entered flow 96 limit 10 hole 0.1")
    heron.json("printer changed heron --what nozzle", "--note", "worn")
    return heron


def page_of(bench, line):
    """The page that a report is, read as browsers read it: any mistake in it is an error."""
    written = bench.json(line)["written"]
    text = (bench.folder / written).read_text()
    return text, html5lib.HTMLParser(strict=True, namespaceHTMLElements=False).parse(text)


def words(element):
    return " ".join(" ".join(element.itertext()).split())


def test_a_report_says_what_to_type_how_sure_and_why(bench):
    text, page = page_of(bench, "report")
    rows = {words(row[0]): [words(cell) for cell in row[1:]] for row in page.iter("tr") if len(row)}
    flow = rows["Flow ratio or multiplier"]
    assert flow[:2] == ["96 % (0.96x)", "doubtful"]
    assert "nozzle changed" in flow[3]
    assert rows["XY contour compensation"][:2] == ["-", "unset"]
    whole = words(page.find("body"))
    assert "What became doubtful flow, limit, hole : nozzle changed since" in whole
    assert HOSTILE in whole
    assert "ridges" in whole
    assert page.find(".//script") is None
    # The walls as a picture, the photo small, upright and without what the phone wrote into it.
    assert page.find(".//figure/{http://www.w3.org/2000/svg}svg") is not None
    source = page.find(".//figure/img").get("src")
    assert source.startswith("data:image/jpeg;base64,")
    photo = b64decode(source.partition(",")[2])
    assert b"where I live" not in photo
    assert Image.open(io.BytesIO(photo)).size == (1280, 853)
    # The trial before is behind the value, too; only the newest is drawn, with that one in it.
    bench.json(WALL)
    _, page = page_of(bench, "report two.html")
    titles = [words(title).partition(",")[0] for title in page.iter("h3")]
    assert titles == ["Trial 2: flow"]
    bench.json("entered flow 97")
    bench.json(WALL.replace("100", "97"))
    _, page = page_of(bench, "report three.html")
    titles = [words(title).partition(",")[0] for title in page.iter("h3")]
    assert titles == ["Trial 3: flow", "Trial 2: flow"]
    assert len(page.findall(".//figure")) == 1
    # Nothing is loaded: every reference is within the page.
    linked = re.findall(r"(?:src|href|url)\s*[=(]\s*[\"']?([^\"')>\s]+)", text)
    assert {link.partition(":")[0] for link in linked if not link.startswith("#")} == {"data"}
    assert "@import" not in text


def test_a_report_of_the_shelf_has_every_roll(bench):
    bench.json("spool add smoke-1 --material PETG")
    bench.json("bench --spool smoke-1 --temperature 235")
    bench.json("entered flow 93")
    _, page = page_of(bench, "report --all")
    assert [words(head) for head in page.iter("header")][1].startswith("smoke-1 on heron PETG")
    targets = {link.get("href")[1:] for link in page.iter("a")}
    assert targets == {head.get("id") for head in page.iter("header")}
    assert bench.json("report --spool smoke-1")["written"] == "smoke-1.html"


def test_a_photo_that_is_gone_is_said(bench):
    (bench.folder / "cube.jpg").unlink()
    assert "no photo of trial 1: there is no file" in bench("report").out
    (bench.folder / "cube.jpg").write_text("no picture")
    assert "is no photo that can be read" in bench("report again.html").out


@pytest.mark.parametrize(
    ("line", "why"),
    [
        ("report fern.txt", "ends in .html"),
        ("report logbook.html --printer wren", "no printer 'wren'"),
        ("report --all --nozzle heron-0.5", "leave --all out"),
        ("label fern.bmp", "must end in"),
        ("label --size 30x12", "too small"),
        ("label --size 62", "write 62x29"),
        ("label --size 2000x29", "from 10 to 1000"),
        ("label --copies 19 --sheet 100x100 a.svg", "only a pdf has"),
        ("label --sheet 60x60", "has no room on"),
        ("profile --fill nothing.in out", "there is no file"),
        ("profile --card --fill a b", "two answers"),
        ("completion tcsh", "invalid choice"),
    ],
)
def test_what_cannot_be_written_is_said_in_one_line(bench, line, why):
    before = set(bench.folder.glob("[!.]*"))
    assert why in bench.refuses(line)
    assert set(bench.folder.glob("[!.]*")) == before


def test_nothing_is_written_over(bench):
    for line in ("report", "label"):
        bench.json(line)
        assert "--force" in bench.refuses(line)
        bench.json(f"{line} --force")


# WCAG 2.2: relative luminance, and the contrast of two colours.
def contrast(one, other):
    def luminance(colour):
        parts = [int(colour[at : at + 2], 16) / 255 for at in (1, 3, 5)]
        linear = [c / 12.92 if c <= 0.04045 else ((c + 0.055) / 1.055) ** 2.4 for c in parts]
        return 0.2126 * linear[0] + 0.7152 * linear[1] + 0.0722 * linear[2]

    light, dark = sorted((luminance(one), luminance(other)), reverse=True)
    return (light + 0.05) / (dark + 0.05)


@pytest.mark.parametrize("place", range(2), ids=["light", "dark"])
def test_words_and_pictures_stand_out_from_the_page(place):
    css = (ROOT / "src/metier/show/page.css").read_text()
    blocks = [dict(re.findall(r"--([\w]+): (#\w{6})", block)) for block in css.split(":root")[1:]]
    colours = blocks[place]
    assert colours.keys() == blocks[0].keys()
    statuses = ("verified", "entered", "advised", "carried", "doubtful", "unset")
    for name in ("ink", "quiet", "act", *statuses):
        for paper in ("paper", "panel"):
            assert contrast(colours[name], colours[paper]) >= 4.5, name
    for name in ["target", "faint", *(f"c{n}" for n in range(1, 9))]:
        assert contrast(colours[name], colours["paper"]) >= 3, name


CHROMIUM = shutil.which("chromium")


@pytest.mark.slow
@pytest.mark.skipif(not CHROMIUM, reason="no chromium here")
def test_a_browser_shows_the_report_and_prints_it_on_a4(bench):
    _, page = page_of(bench, "report fern.html")
    flags = (
        "--headless --no-sandbox --disable-gpu --no-first-run --disable-background-networking "
        f"--disable-component-update --disable-sync --user-data-dir={bench.folder}/browser"
    ).split()
    address = f"file://{bench.folder}/fern.html"
    dumped = subprocess.run(
        [CHROMIUM, *flags, "--dump-dom", address], capture_output=True, text=True, timeout=120
    ).stdout
    shown = html5lib.parse(dumped, namespaceHTMLElements=False)
    assert words(shown.find("body")) == words(page.find("body"))
    printed = bench.folder / "fern.pdf"
    subprocess.run(
        [CHROMIUM, *flags, f"--print-to-pdf={printed}", address], capture_output=True, timeout=120
    )
    boxes = re.findall(rb"/MediaBox \[0 0 ([\d.]+) ([\d.]+)\]", printed.read_bytes())
    assert {(round(float(x) / 72 * 25.4), round(float(y) / 72 * 25.4)) for x, y in boxes} == {
        (210, 297)
    }


def read_codes(path):
    with Image.open(path) as image:
        return image.size, [code.text for code in zxingcpp.read_barcodes(image)]


@pytest.mark.parametrize("size", [(62, 29), (50, 25), (100, 40)])
def test_a_label_holds_the_values_as_text(bench, size):
    wide, high = size
    told = bench.json(f"label fern.png --size {wide}x{high} --force")
    pixels, (code,) = read_codes(bench.folder / "fern.png")
    assert pixels == (int(wide / 25.4 * 300), int(high / 25.4 * 300))
    assert code == told["labels"][0]["code"]
    assert code.splitlines()[:5] == [
        "fern-1: PLA Saltmarsh green",
        "nozzle 210 C",
        "flow 96 % (doubtful)",
        "limit 10 mm3/s (doubtful)",
        "hole +0.10 mm (doubtful)",
    ]


def test_labels_stand_several_on_a_sheet_in_their_true_size(bench):
    bench.json("spool add smoke-1 --material PETG")
    bench.json("bench --spool smoke-1 --temperature 235")
    bench.json("entered flow 93")
    assert bench.json("label one.pdf --size 62x29")["sheets"] == 1
    written = (bench.folder / "one.pdf").read_bytes()
    box = re.search(rb"/MediaBox \[ 0 0 ([\d.]+) ([\d.]+) \]", written)
    assert [round(float(side) / 72 * 25.4, 2) for side in box.groups()] == [62, 29]
    told = bench.json("label sheet.png --all --copies 3")
    assert [label["name"] for label in told["labels"]] == ["fern-1", "smoke-1"]
    _, codes = read_codes(bench.folder / "sheet.png")
    assert sorted(code.partition(":")[0] for code in codes) == ["fern-1"] * 3 + ["smoke-1"] * 3
    # Three across and nine down on A4.
    assert bench.json("label many.pdf --copies 15 --all")["sheets"] == 2
    assert ElementTree.parse(bench.folder / bench.json("label l.svg")["written"]).getroot().tag


TEMPLATES = {
    "ini": (
        "; 20 % @@ half\r\n[fil]\r\nflow = @{flow_percent}\r\nmax = @{limit_mm3_s:.1f}\r\n"
        "hole = @{hole_mm:+.2f}\r\nby = @{maker}\r\n",
        lambda text: dict(_ini(text)["fil"]),
    ),
    "json": (
        '{"flow": @{flow_percent}, "max": "@{limit_mm3_s:.1f}", "hole": "@{hole_mm:+.2f}",'
        ' "by": "@{maker}"}',
        json.loads,
    ),
    "toml": (
        'flow = @{flow_percent}\nmax = "@{limit_mm3_s:.1f}"\nhole = "@{hole_mm:+.2f}"\n'
        'by = "@{maker}"\n',
        tomllib.loads,
    ),
    "xml": (
        '<fil flow="@{flow_percent}" max="@{limit_mm3_s:.1f}" '
        'hole="@{hole_mm:+.2f}" by="@{maker}"/>',
        lambda text: ElementTree.fromstring(text).attrib,
    ),
    "gcode": (
        "M221 S@{flow_percent} ; flow\nM104 S@{temperature_c:.0f}\n; by=@{maker}\n"
        "; max=@{limit_mm3_s:.1f} hole=@{hole_mm:+.2f}\n",
        lambda text: {
            "flow": re.search(r"M221 S(\S+)", text)[1],
            "by": re.search(r"by=(.*)", text)[1],
            **dict(re.findall(r"(max|hole)=(\S+)", text)),
        },
    ),
}


def _ini(text):
    parser = configparser.ConfigParser(interpolation=None)
    parser.read_string(text)
    return parser


@pytest.mark.parametrize("ending", TEMPLATES)
def test_a_template_of_any_text_format_is_filled(bench, ending):
    template, read = TEMPLATES[ending]
    bench.json("spool set fern-1", "--maker", 'Salt & "Marsh" <S>')
    (bench.folder / f"a.{ending}.in").write_bytes(template.encode())
    told = bench(f"profile --fill a.{ending}.in a.{ending}").out
    assert "flow: nozzle changed since" in told
    text = (bench.folder / f"a.{ending}").read_bytes().decode()
    filled = read(text)
    assert float(filled["flow"]) == 96
    assert (filled["max"], filled["hole"]) == ("10.0", "+0.10")
    assert filled["by"] == 'Salt & "Marsh" <S>'
    assert text.count("\r\n") == template.count("\r\n")
    assert ending != "ini" or text.startswith("; 20 % @ half")


def test_what_a_template_has_beside_its_places_stays_to_the_byte(bench):
    raw = b"\xff\xfe caf\xe9 {x} @ me@home @{flow_ratio:.3f}\r\r\n"
    (bench.folder / "t").write_bytes(raw)
    bench.json("profile --fill t out")
    assert (bench.folder / "out").read_bytes() == raw.replace(b"@{flow_ratio:.3f}", b"0.960")


@pytest.mark.parametrize(
    ("template", "why"),
    [
        (
            "\n@{flow_percnt}",
            "line 2: there is no value @{flow_percnt}: did you mean flow_percent?",
        ),
        ("@{contour_mm}", "line 1: contour_mm is not known on this bench yet"),
        ("@{flow_percent.real}", "there is no value"),
        ("@{flow_percent!r}", "there is no value"),
        ("@{flow_percent:{spool}}", "an @{ is no place"),
        ("@{flow_percent:>99}", "is no form of a number"),
        ("@{flow_percent:9999999.9f}", "is no form of a number"),
        ("@{spool:s}", "is a word"),
        ("@{}", "there is no value"),
        ("\0", "is no text file"),
    ],
)
def test_a_template_that_cannot_be_filled_writes_nothing(bench, template, why):
    (bench.folder / "t").write_text(template)
    refusal = bench.refuses("profile --fill t out")
    assert re.search(why.replace("{", r"\{").replace("?", r"\?").replace(".", r"\."), refusal)
    assert not (bench.folder / "out").exists()
    assert "is the template itself" in bench.refuses("profile --fill t t --force")


def completed(bench, line, shell="bash"):
    """What a shell is offered once TAB is pressed behind ``line``."""
    told = bench.folder / "offered"
    bench.process(
        "",
        COMP_LINE=line, COMP_POINT=str(len(line)), COMP_TYPE="9", _ARGCOMPLETE="1",
        _ARGCOMPLETE_SHELL=shell, _ARGCOMPLETE_STDOUT_FILENAME=str(told), _ARGCOMPLETE_IFS="\n",
        ARGCOMPLETE_USE_TEMPFILES="1", **({"_ARGCOMPLETE_DFS": "\t"} if shell == "fish" else {}),
    )  # fmt: skip
    return [word.strip() for word in told.read_text().split("\n")]


@pytest.mark.parametrize(
    ("line", "offered"),
    [
        ("metier fl", ["flow"]),
        ("metier help vol", ["volumetric"]),
        ("metier bench --spool ", ["fern-1"]),
        ("metier bench --spool=f", ["--spool=fern-1"]),
        ("metier printer sh", ["show"]),
        ("metier printer changed --fitted ", ["heron-0.5"]),
        ("metier flow --trial ", ["1"]),
        ("metier entered fl", ["flow"]),
        ("metier flow --line-model re", ["rectangular"]),
        ("metier sliced cost cube.g", ["cube.gcode"]),
        ("metier flow --width ", [""]),
        ("metier bench --logbook none.sqlite --spool ", [""]),
        ("metier bench --spool 'fe", ["fern-1"]),
    ],
)
def test_a_shell_completes_commands_options_and_names(bench, line, offered):
    (bench.folder / "cube.gcode").write_text("")
    assert completed(bench, line) == offered


def test_a_shell_that_shows_more_is_told_what_each_is(bench):
    bench.json("spool add fern-2 --material PLA")
    bench.json("flow --plan --width 0.5 --walls 1 --layer 0.2 --flow 100")
    trials = completed(bench, "metier flow --trial ", "fish")
    assert [re.sub(r"\d+ \w{3}", "DAY", told) for told in trials] == [
        "2\tflow of fern-1, DAY, planned",
        "1\tflow of fern-1, DAY",
    ]
    spools = completed(bench, "metier bench --spool ", "fish")
    assert spools == ["fern-1\tSaltmarsh PLA green", "fern-2\tPLA"]


def test_bash_itself_completes(bench):
    """The script that is printed, in the shell it is for."""
    line, path = "metier bench --spool ", Path(METIER).parent
    script = (
        'eval "$(metier completion bash)"; complete -p metier; '
        f'COMP_LINE="{line}" COMP_POINT={len(line)} COMP_WORDS=({line}"") COMP_CWORD=3; '
        '_python_argcomplete metier "" --spool; printf "%s|" "${COMPREPLY[@]}"'
    )
    ran = subprocess.run(
        ["bash", "-c", script],
        env={**bench.environment, "METIER_DEBUG": "", "PATH": f"{path}:/usr/bin:/bin"},
        cwd=bench.folder, capture_output=True, text=True, timeout=60,
    )  # fmt: skip
    assert ran.stdout.splitlines()[-1] == "fern-1 |"
    for shell in ("zsh", "fish", "powershell"):
        assert "_ARGCOMPLETE" in bench(f"completion {shell}").out


def test_the_manual_page_has_every_command_and_option():
    import argparse

    hatch_build = pytest.importorskip("hatch_build")
    from metier.cli import COMMANDS, command_named

    page = hatch_build.manual_page("0.1.0").replace("\\-", "-")
    assert "metier - calibrate a 3D printer with calipers" in page
    for name in COMMANDS:
        parsers = [command_named(name)[0]()]
        for action in parsers[0]._actions:
            if isinstance(action, argparse._SubParsersAction):
                parsers += action.choices.values()
        for parser in parsers:
            assert parser.prog in page
            for action in parser._actions:
                assert all(option in page for option in action.option_strings)
    if shutil.which("groff"):
        shown = subprocess.run(
            ["groff", "-k", "-man", "-Tutf8", "-ww"], input=page, capture_output=True, text=True
        )
        assert "COMMAND" in shown.stdout
        assert shown.stderr == ""


def test_json_is_the_same_where_letters_lack(bench):
    ran = bench.process("profile --json", PYTHONIOENCODING="ascii", PYTHONUTF8="0")
    assert ran.out.isascii()
    assert ran.json["values"]["limit"]["unit"] == "mm³/s"
