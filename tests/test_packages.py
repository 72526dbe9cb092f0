"""An installation for readings alone: what works without plots, parts, sliced files and cable."""

import subprocess
import sys
import zipfile
from pathlib import Path

import pytest

# Stands before the program: the packages of the larger installation are not found.
WITHOUT = """
from importlib.machinery import PathFinder

find_spec = PathFinder.find_spec
LACKING = {"manifold3d", "matplotlib", "numpy", "PIL", "segno", "serial", "shapely"}

def find(name, path=None, target=None):
    return None if name.partition(".")[0] in LACKING else find_spec(name, path, target)

PathFinder.find_spec = find
"""
WALLS = "--width 0.5 --walls 3 --layer 0.2 --flow 100 --line-model rounded --sure 50"


@pytest.fixture
def small(heron):
    folder = heron.folder / "before"
    folder.mkdir()
    (folder / "sitecustomize.py").write_text(WITHOUT)
    heron.environment["PYTHONPATH"] = str(folder)
    heron.json("printer set heron --bed 220x220x250")
    heron.json("spool set fern-1 --bed-temperature 60")
    heron.json("cable set heron --port socket://127.0.0.1:9")
    (heron.folder / "cube.gcode").write_text("G1 X1 E1 F600\n")
    return heron


@pytest.mark.parametrize(
    ("line", "package"),
    [
        ("flow --plan --part tube.gcode", "numpy"),
        (f"flow {WALLS} --read 1.46 --plot wall.png", "matplotlib"),
        (f"flow {WALLS} --read 1.46 --sliced cube.gcode", "numpy"),
        ("xy --hole 4=3.8 --post 4=4.1", "numpy"),
        ("sliced cost cube.gcode", "numpy"),
        ("cable steps", "pyserial"),
        ("esteps --feed", "pyserial"),
        ("standin start", "numpy"),
        ("practise", "numpy"),
        ("demo", "matplotlib"),
        ("label", "matplotlib"),
    ],
)
def test_what_is_missing_is_named_before_anything_is_done(small, line, package):
    before = {path.name for path in small.folder.iterdir()}
    ran = small.process(line)
    assert (ran.status, ran.out, ran.err.count("\n")) == (1, "", 1), ran
    assert f"that needs {package}, which is not installed: " in ran.err
    assert ran.err.endswith("-m pip install 'metier[all]'\n")
    assert {path.name for path in small.folder.iterdir()} == before
    assert small.json("history")["trials"] == []


def test_readings_lost_nothing_where_they_are_typed(small):
    ran = small.process("xy", typed="4=3.8\n")
    assert "that needs numpy" in ran.err
    assert "hole" not in ran.out


@pytest.mark.parametrize(
    "line",
    [
        "esteps --asked 150 --mark 180 --left 35.1 34.8 35.4",
        "diameter --read 1.75/1.74 1.76",
        f"flow {WALLS} --read 1.46 1.47",
        "volumetric --from 4 --rise-per-mm 0.25 --gaps-at 31.5",
        "fit --pair 0.1=press 0.2=snug 0.3=slide",
        "heat --step 225=many/rough/sags/holds 215=none/even/straight/-",
        "proof --of globe --at root=0.46 tip=0.44 --expect 0.45",
        "weigh --strand 2.953 2.951 --length 1000",
        "xy --plan",
        "flow --plan --width 0.5 --walls 3 --layer 0.2",
    ],
)
def test_everyday_commands_need_none_of_it(small, line):
    ran = small.process(line, "--json")
    assert (ran.status, ran.err) == (0, ""), ran
    assert small.json(f"history {ran.json['trial']}")["trials"][0]["test"] == line.split()[0]
    if line.startswith("flow --plan"):
        # Minutes and grams are those of lines, which are not drawn here.
        assert ran.json["takes"] is None


def test_a_report_goes_without_its_pictures(small):
    (small.folder / "globe.jpg").write_bytes(b"\xff\xd8\xff")
    small.json(f"flow {WALLS} --read 1.46 1.47 --photo globe.jpg")
    # Measured where more is installed.
    small("xy --hole 6=5.8 10=9.8 --post 6=6.1 10=10.1")
    ran = small.process("history 2")
    assert (ran.status, ran.err) == (0, "")
    assert "hole 10" in ran.out
    ran = small.process("report")
    assert (ran.status, ran.err) == (0, "")
    assert ran.out.count("pictures are left out: that needs matplotlib") == 1
    page = (small.folder / "fern-1.html").read_text()
    assert "<svg" not in page
    assert "that needs pillow" in page


@pytest.mark.slow
def test_a_wheel_brings_its_page_its_style_and_its_schemas(tmp_path):
    """Built as whoever packs it builds it: the manual page lies where ``man`` looks for it."""
    root = Path(__file__).parent.parent
    built = [sys.executable, "-m", "pip", "wheel", "--no-deps", "--no-build-isolation", "-q"]
    subprocess.run([*built, "-w", tmp_path, root], check=True, timeout=300)
    (wheel,) = tmp_path.glob("*.whl")
    with zipfile.ZipFile(wheel) as packed:
        names = packed.namelist()
        (manual,) = [name for name in names if name.endswith("data/share/man/man1/metier.1")]
        page = packed.read(manual).decode()
    assert page.startswith(".TH METIER")
    assert "sliced cost" in page
    for name in ("show/page.css", "formats/profile.schema.json", "logbook/logbook.schema.json"):
        assert f"metier/{name}" in names
