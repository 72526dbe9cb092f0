"""Readings from a spreadsheet."""

from contextlib import suppress

import pytest
from hypothesis import given
from hypothesis import strategies as st

from metier.core.errors import BadInput
from metier.formats.tables import read_readings


def written(tmp_path, data):
    path = tmp_path / "cube.csv"
    path.write_bytes(data if isinstance(data, bytes) else data.encode())
    return str(path)


@pytest.mark.parametrize(
    "data",
    [
        "side,reading\nfront,0.47\nfront,0.48\nback,0.49\n",
        "side;reading\nfront;0,47\nfront;0,48\nback;0,49",
        "\ufeffside;reading\r\nfront;0,47\r\n\r\nfront;0,48\r\nback;0,49\r\n;\r\n",
        '"Side","Reading"\n"front","0.47"\n"front",0.48\nback,"0,49"\n',
        "reading\tside\tnote\n0,47\tfront\tfirst\n0.48mm\tfront\n0,49\tback\n",
        "side,reading\nfront,0.47\nfront,0.48\nback,0.49\n".encode("utf-16"),
    ],
)
def test_the_usual_spreadsheet_forms(tmp_path, data):
    found = read_readings(written(tmp_path, data))
    assert [one.side for one in found] == ["front", "front", "back"]
    assert [one.value_mm for one in found] == [0.47, 0.48, 0.49]
    assert found[0].typed in ("0.47", "0,47")


def test_sides_may_be_left_out(tmp_path):
    assert [one.side for one in read_readings(written(tmp_path, "reading\n0.47\n0.48\n"))] == [
        "",
        "",
    ]


@pytest.mark.parametrize(
    ("data", "said"),
    [
        ("", "empty"),
        ("\n\n", "empty"),
        ("wall,thickness\nA,0.47\n", "the column reading"),
        ("side,reading\n", "no rows"),
        ("side,reading\nA,0,47\n", "separate the columns by ;"),
        ("side,reading\nA,0.47\nA,wide\n", "line 3, reading: 'wide' is not a number"),
        ("side,reading\nA,nan\n", "line 2, reading"),
        ("side,reading\nreading,\nA,\n", "line 2 has no reading"),
        ("side,reading\nA\n", "line 2 has no reading"),
        ('reading\n"0.47\n', "no CSV"),
        (b"\xff\xff\x00reading\n", "not text"),
        (b"\x89PNG\r\n\x1a\n\x00\x00", "not text"),
        ("reading\n" + "0.47\n" * 1001, "1001 rows"),
        (b"\x00\xd8" * 6_000_000, "over 200 kB"),
    ],
)
def test_what_is_no_file_of_readings_is_refused(tmp_path, data, said):
    with pytest.raises(BadInput, match=r"cube\.csv") as refused:
        read_readings(written(tmp_path, data))
    assert said in str(refused.value)


def test_a_missing_file_and_a_folder_are_refused(tmp_path):
    for path in (tmp_path / "none.csv", tmp_path):
        with pytest.raises(BadInput, match="cannot read"):
            read_readings(str(path))


@given(st.binary(max_size=300))
def test_noise_is_read_or_refused(tmp_path_factory, data):
    path = tmp_path_factory.mktemp("noise") / "noise.csv"
    path.write_bytes(b"reading\n" + data)
    with suppress(BadInput):
        assert all(one.value_mm > 0 for one in read_readings(str(path)))
