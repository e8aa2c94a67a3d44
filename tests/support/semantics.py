"""How a table of cases about who gets in is written and run.

A case begins with ``= section: title``. ``% BASE KEY=VALUE ...`` changes keys of the profile that a silent sheet has (values
with blanks in quotes). Then comes the sheet, and after it rows: ``> attempt`` and ``< how it ends``. The rows of a case are
one sequence: failures count on, unless the attempt says ``reset``.

An attempt is pairs of words: via, from, to, name, pw, epw, ename, knows, key, elevate, versions, busy, down, at, now,
``held GROUP/ACCOUNT/PASSWORD[/LEVEL]``, ``cert AUTHORITY/NAME`` and ``alg KIND=NAME,...`` (pw, epw, knows, key, down,
held, cert and alg may come again). How it ends: the outcome, the level
where there is one, ``after N`` where a level before elevation is told, granted, denied or unknown for the elevation, and
``by`` what decided: line N, key KEY, or attempt FIELD.
"""

import datetime
import shlex
from collections.abc import Iterator
from typing import Any, NamedTuple

from overhang.language import read_sheet
from overhang.language.terminals import decode_base64, decode_vty_range
from overhang.model import PublicKey, parse_address
from overhang.profiles import BUILTIN, KEYS, derive
from overhang.profiles.builtin import DEFAULT
from overhang.simulation import Attempt, FromAttempt, FromProfile, LockoutState, ResolvedDevice, Result, decide
from overhang.simulation.result import Certificate

TODAY = datetime.datetime(2026, 6, 1, 12, tzinfo=datetime.UTC)


class Row(NamedTuple):
    attempt: str
    ends: str


class Case(NamedTuple):
    title: str
    changes: str
    sheet: str
    rows: tuple[Row, ...]


def parse_cases(text: str) -> Iterator[Case]:
    for part in text.split("\n= ")[1:]:
        title, *lines = part.split("\n")
        changes = lines.pop(0)[2:] if lines[0].startswith("% ") else ""
        attempts = [line[2:] for line in lines if line.startswith("> ")]
        ends = [line[2:] for line in lines if line.startswith("< ")]
        assert len(attempts) == len(ends), title
        sheet = "\n".join(line for line in lines if line[:2] not in ("> ", "< "))
        yield Case(title, changes, sheet + "\n", tuple(map(Row, attempts, ends)))


def resolve(case: Case) -> ResolvedDevice:
    profiles = dict(BUILTIN)
    if case.changes:
        base, *changes = shlex.split(case.changes)
        texts = dict(change.split("=", 1) for change in changes)
        profiles[DEFAULT] = derive(DEFAULT, BUILTIN[base], texts, KEYS)
    sheet = read_sheet(case.sheet, "t.sheet")
    return ResolvedDevice(sheet.device, profiles, all_read=sheet.fully_understood)


def parse_attempt(text: str) -> tuple[Attempt, bool]:
    words = shlex.split(text)
    reset = words[-1] == "reset"
    words = words[:-1] if reset else words
    fields: dict[str, Any] = {"moment": TODAY}
    many: dict[str, list[str]] = {}
    servers: dict[str, dict[str, dict[str, Any]]] = {}
    for key, value in zip(words[::2], words[1::2], strict=True):
        if key in ("from", "to"):
            fields["source" if key == "from" else "destination"] = parse_address(value)
        elif key in ("pw", "epw", "knows", "down", "cert", "alg"):
            many.setdefault(key, []).append(value)
        elif key == "held":
            group, account, password, *level = value.split("/")
            servers.setdefault(group, {})[account] = {
                "password": password,
                **({"level": int(level[0])} if level else {}),
            }
        elif key == "key":
            many.setdefault("key", []).append(value)
        elif key == "versions":
            fields["ssh_versions"] = tuple(int(number) for number in value.split(","))
        elif key == "busy":
            first, last = decode_vty_range(value)
            fields["busy"] = frozenset(range(first, last + 1))
        elif key == "now":
            fields["moment"] = datetime.datetime.fromisoformat(value).replace(tzinfo=datetime.UTC)
        elif key in ("elevate", "at"):
            fields[key] = int(value)
        else:
            fields[{"ename": "elevate_name"}.get(key, key)] = value
    fields["passwords"] = tuple(many.get("pw", ()))
    fields["elevate_passwords"] = tuple(many.get("epw", ()))
    fields["keys"] = tuple(PublicKey("ssh-ed25519", decode_base64(each)) for each in many.get("key", ()))
    certified = [each.split("/") for each in many.get("cert", ())]
    fields["certificates"] = tuple(
        Certificate(PublicKey("ssh-ed25519", decode_base64(data)), frozenset({name})) for data, name in certified
    )
    spoken = [each.split("=", 1) for each in many.get("alg", ())]
    fields["algorithms"] = {kind: tuple(names.split(",")) for kind, names in spoken} or None
    fields["knows"] = frozenset(many.get("knows", ()))
    fields["down"] = frozenset(many.get("down", ()))
    if servers:
        fields["servers"] = servers
    return Attempt(**fields), reset


def describe(result: Result) -> str:
    parts = [result.outcome]
    if result.level is not None:
        parts.append(str(result.level))
    if result.elevation is not None:
        if result.after_login is not None:
            parts += ["after", str(result.after_login)]
        parts.append(result.elevation)
    by = result.decided_by
    if isinstance(by, FromProfile):
        parts += ["by", "key", by.key]
    elif isinstance(by, FromAttempt):
        parts += ["by", "attempt", by.field]
    else:
        parts += ["by", "line", str(by.line)]
    return " ".join(parts)


def run_case(case: Case) -> Iterator[tuple[Row, str]]:
    """Each row, and how it really ends."""
    resolved = resolve(case)
    lockout_states = [LockoutState()]
    for row in case.rows:
        attempt, reset = parse_attempt(row.attempt)
        decided = decide(resolved, attempt, [LockoutState()] if reset else lockout_states)
        lockout_states = decided.lockout_states
        assert all("{" not in step.reason for step in decided.result.trace)
        yield row, describe(decided.result)
