"""The examples of docs/python.md, as a reader of that page would run them."""

import doctest
from pathlib import Path

import pytest

ROOT = Path(__file__).parents[2]


def test_the_examples_of_the_python_page_run(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.chdir(ROOT)
    failed, tried = doctest.testfile(str(ROOT / "docs" / "python.md"), module_relative=False, encoding="utf-8")
    assert failed == 0
    assert tried > 15
