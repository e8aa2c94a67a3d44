"""The tables of cases about who gets in: every row ends as it says."""

import pytest

from tests import cases_arriving, cases_checking, cases_doubt, cases_landing
from tests.semantics import Case, parse_cases, run_case, setting_of

TABLES = (cases_arriving, cases_checking, cases_landing)
DOUBTFUL = list(parse_cases(cases_doubt.CASES))
ALL = [case for table in TABLES for case in parse_cases(table.CASES)]


@pytest.mark.parametrize("case", [*ALL, *DOUBTFUL], ids=[case.title for case in [*ALL, *DOUBTFUL]])
def test_case(case: Case) -> None:
    if case not in DOUBTFUL:
        assert setting_of(case).understood, "the sheet of the case has a mistake"
    got = "\n".join(f"> {row.attempt}\n< {ends}" for row, ends in run_case(case))
    assert got == "\n".join(f"> {row.attempt}\n< {row.ends}" for row in case.rows)
