"""Which statements can bear on who gets in, and whose accounts they are about: what need not be explored again."""

from collections.abc import Mapping, Sequence

from overhang.difference import StatementChange
from overhang.language.lexer import split_words

#: What has no say in who gets in: a block and the fields of it, or "" for all of them.
_NO_MATTER: Mapping[str, frozenset[str]] = {
    "device": frozenset({"kind", "site", "changed", "saved"}),
    "banner": frozenset({"", "lines"}),
    "passwords": frozenset({"mask", "length", "classes", "remember", "youngest", "oldest", "warn"}),
    "management": frozenset({"record"}),
    "ssh": frozenset({"port", "sessions", "rate", "finish_within"}),
    "telnet": frozenset({"port", "sessions", "rate"}),
    "web": frozenset({"http_port", "https_port", "certificate", "certificate_key", "certificate_valid", "tls"}),
    "door": frozenset({"port"}),
    "address": frozenset({"interface", "faces"}),
}
_IDLE = "idle"


def accounts_alone(changes: Sequence[StatementChange]) -> frozenset[str] | None:
    """The accounts that changes are about; None where they are about something else too."""
    found = set()
    for each in changes:
        if not each.block.startswith("user "):
            return None
        found.add(split_words(each.block)[0][1].text)
    return frozenset(found)


def matters(change: StatementChange) -> bool:
    """Whether a statement can have a say in who gets in."""
    kind = change.block.split()[0]
    if change.whole and kind != "banner":
        return True
    return change.field != _IDLE and change.field not in _NO_MATTER.get(kind, frozenset())
