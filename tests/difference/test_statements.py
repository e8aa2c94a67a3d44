"""Which statements differ in meaning, and what became of stored passwords."""

import pytest

from overhang.api import load
from overhang.difference.secrets import compared
from overhang.difference.statements import statement_changes
from overhang.language import ParsedConfig, read_sheet, unparse
from overhang.model.hash_budget import HashBudget
from overhang.model.masking import mask
from overhang.model.stored_secret import Form, StoredSecret
from overhang.model.verification import hash_text
from tests.support.generator import Made

HASH, OTHER = hash_text("gannet-9"), hash_text("gannet-9")


def told(old: str, new: str) -> list[str]:
    changes = statement_changes(read_sheet(old, "old"), read_sheet(new, "new"), HashBudget(1000))
    return [f"{each.kind} {each.block} | {each.old} | {each.new} | {each.secret}" for each in changes]


@pytest.mark.parametrize(
    ("old", "new", "expected"),
    [
        ("user lena:\n    level 1\n", "# other order\nuser lena: level 1\n", []),
        ("entry vty 0-3: accept ssh telnet\n", "entry vty 0-1: accept telnet ssh\nentry vty 2-3: accept ssh telnet\n", []),
        ("ssh: from office\n", "ssh:\n    from office ipv4\n    from office ipv6\n", []),
        ("sources a: allow 10.64.0.9/24\n", "sources a: allow 10.64.0.0/24\n", []),
        ("ssh:\n    on\n", "ssh:\n", ["removed ssh | on | None | None"]),
        ("", "user lena:\n", ["added user lena | None | user lena | None"]),
        ("user lena: level 1\n", "user lena: level 15\n", ["changed user lena | level 1 | level 15 | None"]),
        (
            "entry vty 0-3: idle 5m\n",
            "entry vty 0-3: idle 10m\nentry vty 2: idle 5m\n",
            ["changed entry vty 0-1 | idle 5m | idle 10m | None", "changed entry vty 3 | idle 5m | idle 10m | None"],
        ),
        (
            "sources a:\n    allow 10.64.0.0/24\n    deny any\n",
            "sources a:\n    deny any\n    allow 10.64.0.0/24\n",
            [
                "added sources a | None | deny any | None",
                "removed sources a | deny any | None | None",
            ],
        ),
        (
            "ssh: from office\n",
            "ssh:\n    from office ipv4\n    from crew ipv6\n",
            ["changed ssh | from office | from crew ipv6 | None"],
        ),
        (
            "user lena: password readable kelp-7\n",
            f"user lena: password masked {mask('kelp-7')}\n",
            ["changed user lena | password readable *** | password masked *** | kept"],
        ),
        (
            "user lena: password readable kelp-7\n",
            f"user lena: password hashed {HASH}\n",
            ["changed user lena | password readable *** | password hashed *** | changed"],
        ),
        (
            f"user lena: password hashed {HASH}\n",
            f"user lena: password hashed {OTHER}\n",
            ["changed user lena | password hashed *** | password hashed *** | unknown"],
        ),
        ("banner before-login:\n    | Crew only.\n", "banner before-login:\n    | Crew.\n", [
            "removed banner before-login | | Crew only. | None | None",
            "added banner before-login | None | | Crew. | None",
        ]),
    ],
)  # fmt: skip
def test_statements_that_differ(old: str, new: str, expected: list[str]) -> None:
    assert sorted(told(old, new)) == sorted(expected)


@pytest.mark.parametrize(
    ("old", "new", "expected"),
    [
        (StoredSecret(Form.WITHHELD), StoredSecret(Form.WITHHELD), "unknown"),
        (StoredSecret(Form.OPAQUE, "8f"), StoredSecret(Form.OPAQUE, "8f"), "kept"),
        (StoredSecret(Form.OPAQUE, "8f"), StoredSecret(Form.OPAQUE, "9a"), "unknown"),
        (StoredSecret(Form.NONE), StoredSecret(Form.READABLE, "x"), "changed"),
        (StoredSecret(Form.FACTORY), StoredSecret(Form.READABLE, "x"), "unknown"),
        (StoredSecret(Form.FACTORY), StoredSecret(Form.NONE), "changed"),
        (StoredSecret(Form.READABLE, "gannet-9"), StoredSecret(Form.HASHED, HASH), "kept"),
        (StoredSecret(Form.HASHED, HASH), StoredSecret(Form.WITHHELD), "unknown"),
    ],
)
def test_what_became_of_a_stored_password(old: StoredSecret, new: StoredSecret, expected: str) -> None:
    assert compared(old, new, HashBudget(1000)) == compared(new, old, HashBudget(1000)) == expected


def test_every_language_of_one_meaning_is_equal() -> None:
    """Devices of many languages against sheets of them, and generated ones against their own sheets."""
    devices = list(load("src/overhang/demo/network"))
    for each in devices:
        sheet = read_sheet(unparse(each.config.stated, secrets=True), "other.sheet")
        sheet = sheet._replace(profiles=each.config.profiles)
        assert statement_changes(each.config, sheet, HashBudget(0)) == (), each.name
    for seed in range(60):
        made = read_sheet(Made(seed).text, "made.sheet")
        again = read_sheet(unparse(made.device, secrets=True), "again.sheet")
        assert statement_changes(made, again, HashBudget(0)) == ()


def test_a_password_never_shows() -> None:
    old = read_sheet("user lena: password readable secret-Word-1\n", "a")
    new = read_sheet(
        "user lena: password readable secret-Word-2\nentry console: password readable secret-Word-3\n", "b"
    )
    assert isinstance(old, ParsedConfig)
    assert "secret-Word" not in repr(statement_changes(old, new, HashBudget(0)))
