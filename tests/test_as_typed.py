"""Every example that help, README and pages show, typed where a person sits and where none does."""

import pytest

from tests.as_typed import FIRST, LATER, SEEN, Attended, at, groups, text_of, told_of_group
from tests.conftest import Bench
from tests.doc_examples import CUT, PAGES, Workbench, examples, levelled

GROUPS = groups()
TEXTS = SEEN.read_text().split("\n\n")


def test_every_example_is_in_the_file():
    shown = [line[2:] for line in SEEN.read_text().splitlines() if line.startswith("$ ")]
    assert shown == [line for group in GROUPS for line in group.commands]


@pytest.mark.parametrize("number", range(len(GROUPS)), ids=lambda at: GROUPS[at].commands[0])
def test_it_ends_and_begins_as_shown(number, tmp_path, built):
    """`python -m tests.as_typed` writes anew what is shown."""
    group = GROUPS[number]
    for name in ("piped", "typed"):
        folder = tmp_path / name
        folder.mkdir()
        with at(FIRST, "UTC"):
            built(Bench(folder), group.begins)
    with at(LATER, "UTC"):
        found = text_of(told_of_group(group, tmp_path))
    assert found.strip("\n") == TEXTS[number].strip("\n")


def test_examples_of_pages_say_the_same_to_somebody_who_sits_there(tmp_path):
    """They end as shown and begin as shown, once what is asked is answered."""
    with at(FIRST, "UTC"):
        bench = Workbench(tmp_path / "bench", Attended)
        for example in [each for page in PAGES for each in examples(page.read_text())]:
            shown = [line.rstrip() for line in example.output.splitlines() if line.strip()][:2]
            command = " ".join(example.command.split()[:2])
            refused = bool(shown) and shown[0].startswith(f"{command}:")
            # Who is asked instead of refused stops there: nothing is recorded either.
            bench.metier.person.stops = refused
            screen = bench.run(example.command)
            status = bench.metier.status
            assert (status in (1, 2, 130)) if refused else status == 0, (example.command, screen)
            seen = [levelled(line) for line in screen.splitlines() if line.strip()]
            shown = [levelled(line) for line in shown if line != CUT and status != 130]
            first = seen.index(shown[0]) if shown and shown[0] in seen else 0
            assert seen[first : first + len(shown)] == shown, (example.command, screen)
        bench.close()
