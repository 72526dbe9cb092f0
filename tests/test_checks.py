"""Style, types, layers and the examples in docstrings: one run checks all."""

import doctest
import importlib
import pkgutil
import subprocess
import sys
from pathlib import Path

import pytest

import metier
from tests.conftest import not_quick

ROOT = Path(__file__).parent.parent
BIN = Path(sys.executable).parent


@pytest.mark.parametrize(
    "check",
    [
        *("ruff check .", "ruff format --check .", "lint-imports --no-logo"),
        # Twenty seconds where it has not looked before, half a one where it has.
        *not_quick("mypy --no-error-summary"),
    ],
)
def test_check(check):
    program, *words = check.split()
    finished = subprocess.run([BIN / program, *words], cwd=ROOT, capture_output=True, text=True)
    assert finished.returncode == 0, finished.stdout + finished.stderr


@pytest.mark.parametrize(
    "name", [one.name for one in pkgutil.walk_packages(metier.__path__, "metier.")]
)
def test_examples_in_docstrings(name):
    if name != "metier.__main__":
        assert doctest.testmod(importlib.import_module(name)).failed == 0
