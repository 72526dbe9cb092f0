"""Tables with named columns."""

import pytest

from metier.core.errors import BadInput
from metier.formats.tables import read_coupons, read_feed, read_plate, read_table


def written(tmp_path, text):
    path = tmp_path / "table.csv"
    path.write_text(text)
    return str(path)


@pytest.mark.parametrize("mark", [",", ";", "\t"])
def test_columns_go_by_name_in_any_order(tmp_path, mark):
    text = "note,B,a\nx,2,1\n,4,3\n,,\n".replace(",", mark)
    rows = read_table(written(tmp_path, text), ("a", "b"), ("c",))
    assert [row.cells for row in rows] == [
        {"a": "1", "b": "2", "c": ""}, {"a": "3", "b": "4", "c": ""},
    ]  # fmt: skip
    assert rows[1].where.endswith("table.csv, line 3")


@pytest.mark.parametrize(
    ("text", "said"),
    [
        ("a\n1\n", "the column b"),
        ("c\n1\n", "the columns a, b"),
        ("a,b\n1,\n", "line 2 has no b"),
        ("a,b,a\n1,2,3\n", "column a twice"),
        ("a,b\n", "no rows"),
        ("a,b\n1,2,3\n", "more cells"),
    ],
)
def test_what_lacks_is_named(tmp_path, text, said):
    with pytest.raises(BadInput, match=said):
        read_table(written(tmp_path, text), ("a", "b"))


def test_the_tables_that_are_read(tmp_path):
    fed = read_feed(written(tmp_path, "flow_mm3_s;asked_mm;moved_mm\n4;100;99,5\n"))
    assert fed == [(4.0, 100.0, 99.5)]
    coupons = read_coupons(written(tmp_path, "flow_mm3_s,force_n\n4,600\n4,620\n"), 5.0)
    assert coupons[4.0] == pytest.approx([30.558, 31.576], abs=1e-3)
    (hole, lip) = read_plate(
        written(tmp_path, "kind,nominal,measured,height\nhole,10,9.8/9.9,4\npost,10,10.3,0.2\n")
    )
    assert (hole.readings_mm, hole.foot, lip.foot) == ((9.8, 9.9), False, True)
