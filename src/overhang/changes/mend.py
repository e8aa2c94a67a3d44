"""Changes that mend what an audit finds, each proved before it is given.

Remedies are taken one by one from the findings, each for the device as the earlier ones leave it. One is kept where
the proof holds at every step and its finding is gone; the others are left out, with the reason. Those that wait for
something that only a person can choose come last and are commented out, so that the rest is proved by itself.
"""

import datetime
from collections.abc import Callable, Mapping, Sequence
from typing import NamedTuple

from overhang.auditing.findings import Severity
from overhang.auditing.fixes import NEW_ACCOUNT, NEW_NETWORK
from overhang.auditing.folding import Wanted, every, shown
from overhang.auditing.results import ReportedFinding
from overhang.auditing.rules.pages import page_of
from overhang.changes.judge import Judged, expectations_on, judge_one
from overhang.changes.proof import Aim, Flaw, Prover
from overhang.difference import StatementChange, statement_changes
from overhang.language import ParsedConfig
from overhang.language.lexer import quote_word
from overhang.language.normalise import Normaliser
from overhang.language.schema import SCHEMA
from overhang.language.unparser import unparse_statement
from overhang.model.hash_budget import HashBudget
from overhang.model.masking import mask
from overhang.model.verification import hash_text
from overhang.project import Project

_TO_CHOOSE = "withheld"
#: Remedies are tried again after others were kept, so many times.
_MOST_ROUNDS = 4
#: Kinds of choices.
PASSWORD, ACCOUNT, NETWORK = "password", "name", "network"


class Choices(NamedTuple):
    """What somebody chose: the name of new accounts, the networks that management comes from, and passwords.

    ``passwords`` has their texts by what they are for, ``user:lena`` or ``harbour-desk/user:lena``.
    """

    account: str | None = None
    networks: tuple[str, ...] = ()
    passwords: Mapping[str, str] = {}

    def password(self, device: str, item: str) -> str | None:
        """The password that was chosen for an item of a device."""
        return self.passwords.get(f"{device}/{item}", self.passwords.get(item))


class Choice(NamedTuple):
    """Something that only a person can choose: its kind, and what it is for."""

    kind: str
    item: str


class Part(NamedTuple):
    """A remedy that was proved: the rule, what it found, its statements, and what has to be chosen before it is used.

    ``phrased`` are the same in the device's own language, None where that has no words for them. It ``waits`` where it,
    or one before it, needs a choice.
    """

    rule: str
    severity: Severity
    message: str
    lines: tuple[str, ...]
    choices: tuple[Choice, ...]
    phrased: tuple[str, ...] | None = None
    waits: bool = False


class LeftOut(NamedTuple):
    """A finding that is not mended, and why."""

    rule: str
    severity: Severity
    message: str
    why: str


class Mend(NamedTuple):
    """What mends one device. ``parts`` are in the order in which they were proved, those that wait for a choice last.

    ``after`` is the device after those that wait for nothing; ``back`` takes these back. ``language`` names the
    language of the parts, "" for sheets.
    """

    name: str
    file: str
    parts: tuple[Part, ...]
    left_out: tuple[LeftOut, ...]
    after: ParsedConfig
    back: tuple[str, ...]
    language: str = ""

    @property
    def choices(self) -> list[Choice]:
        """Everything that has to be chosen, each once."""
        return list(dict.fromkeys(choice for part in self.parts for choice in part.choices))

    @property
    def ready(self) -> list[Part]:
        """The parts that wait for nothing."""
        return [part for part in self.parts if not part.waits]


class Mender:
    """Finds what mends one device."""

    def __init__(
        self,
        config: ParsedConfig,
        project: Project,
        moment: datetime.datetime,
        wanted: Wanted = every,
        choices: Choices | None = None,
        reads: Callable[[str], ParsedConfig] | None = None,
    ) -> None:
        base = judge_one(config, project, moment)
        self._base = base._replace(expectations=expectations_on(base.side, project, moment))
        self._wanted, self._chosen = wanted, choices or Choices()
        self._prover = Prover(self._base, moment)
        self._reads = reads
        self._own_words = reads is not None and config.phrase is not None
        self._whys: dict[str, str] = {}
        self._named = {each.rule for each in self._base.audit.findings}

    def mend(self) -> Mend:
        """All of it."""
        config = self._base.side.config
        ready, now = self._rounds(self._base, waiting=False)
        if self._own_words and not self._reads_as(ready, now):
            self._own_words = False  # what its words come to is another thing: say it all in statements of a sheet
            ready, now = self._rounds(self._base, waiting=False)
        waiting, last = self._rounds(now, waiting=True)
        left = [
            LeftOut(each.rule, each.severity, each.message, self._whys.get(each.fingerprint, "not tried"))
            for each in self._open(last)
        ]
        after = now.side.config
        return Mend(
            self._base.side.name,
            self._base.side.file,
            (*ready, *waiting),
            tuple(left),
            after,
            tuple(roll_back(config, after)),
            config.phrase(()).language if self._own_words and config.phrase is not None else "",
        )

    def _reads_as(self, parts: Sequence[Part], now: Judged) -> bool:
        """Whether the parts in the device's own words come to what was proved."""
        if self._reads is None:
            return False
        text = "".join(f"{line}\n" for part in parts for line in part.phrased or ())
        return not statement_changes(self._reads(text), now.side.config, HashBudget(0))

    def _rounds(self, start: Judged, *, waiting: bool) -> tuple[list[Part], Judged]:
        """The remedies that are proved, one after another, and the device after them."""
        parts: list[Part] = []
        now = start
        for _ in range(_MOST_ROUNDS):
            before = len(parts)
            tried: set[str] = set()
            while True:
                found = next((each for each in self._open(now) if each.fingerprint not in tried), None)
                if found is None:
                    break
                tried.add(found.fingerprint)
                part = self._part(found)
                if part is None:
                    continue
                if self._own_words and part.phrased is None and not waiting:
                    self._whys[found.fingerprint] = "the dialect has no words for it"
                    continue
                if part.choices and not waiting:
                    self._whys[found.fingerprint] = "it waits for a choice"
                    continue
                part = part._replace(waits=waiting)
                after = self._proved(now, found, part)
                if after is not None:
                    parts.append(part)
                    now = after
            if len(parts) == before:
                break
        return parts, now

    def _open(self, now: Judged) -> list[ReportedFinding]:
        """What is still to be mended of what was found at first."""
        return [each for each in shown(now.audit, self._wanted).findings if each.rule in self._named]

    def _part(self, found: ReportedFinding) -> Part | None:
        """A finding's remedy as statements that each stand alone, with what was chosen filled in."""
        page = page_of(found.rule)
        if not found.fix:
            self._whys[found.fingerprint] = page.by_hand or "no statement mends it"
            return None
        lines, choices = self._filled(single_lines(found.fix))
        phrased: tuple[str, ...] | None = None
        phrase = self._base.side.config.phrase
        if self._own_words and phrase is not None:
            phrased = phrase(lines).lines
        return Part(found.rule, found.severity, found.message, tuple(lines), tuple(choices), phrased)

    def _filled(self, lines: Sequence[str]) -> tuple[list[str], list[Choice]]:
        """Statements with what was chosen filled in, and what is left to choose."""
        filled: list[str] = []
        left: dict[Choice, None] = {}
        for line in lines:
            if f" {NEW_ACCOUNT}:" in line or line.endswith(f" {NEW_ACCOUNT}"):
                if self._chosen.account is None:
                    left[Choice(ACCOUNT, "a new account")] = None
                else:
                    line = line.replace(NEW_ACCOUNT, quote_word(self._chosen.account), 1)
            if NEW_NETWORK in line:
                if not self._chosen.networks:
                    left[Choice(NETWORK, "the network that devices are managed from")] = None
                else:
                    filled += [line.replace(NEW_NETWORK, network) for network in self._chosen.networks]
                    continue
            if line.split()[-1:] == [_TO_CHOOSE] or f" {_TO_CHOOSE} " in line:
                item = item_of(line)
                text = self._chosen.password(self._base.side.name, item)
                if text is None:
                    left[Choice(PASSWORD, item)] = None
                else:
                    line = _with_password(line, text)
            filled.append(line)
        return filled, list(left)

    def _proved(self, now: Judged, found: ReportedFinding, part: Part) -> Judged | None:
        """The device after a remedy, where it is proved; else None, and why is noted."""
        page = page_of(found.rule)
        side, flaws = self._prover.prove(now.side.config, part.lines, Aim(bool(page.takes), found.restores))
        if not flaws:
            after = self._prover.judged(side)
            if any(each.fingerprint == found.fingerprint for each in after.audit.findings):
                flaws = [Flaw("stays", 0, "the finding would still be there")]
            elif any(each.severity > max(found.severity, Severity.LOW) for each in _new(now, after)):
                worse = max(_new(now, after), key=lambda each: each.severity)
                flaws = [Flaw("worse", 0, f"it would lead to {worse.rule}")]
        if flaws:
            self._whys[found.fingerprint] = why_of(flaws[0])
            return None
        return after


def _new(before: Judged, after: Judged) -> list[ReportedFinding]:
    rules = {each.rule for each in before.audit.findings}
    return [each for each in after.audit.findings if each.rule not in rules]


def why_of(flaw: Flaw) -> str:
    """Why a remedy is left out, in words."""
    if flaw.kind == "opens":
        return f"it would open something to what is known already: {flaw.what}"
    if flaw.kind == "people":
        return f"with it {flaw.what}"
    if flaw.kind == "expected":
        return f"an expectation {flaw.what}"
    return flaw.what


# -- statements --------------------------------------------------------------------------------------------------------


def single_lines(lines: Sequence[str]) -> list[str]:
    """Statements of a sheet with the head of their block on each line; banners stay as they are."""
    found: list[str] = []
    head = ""
    for line in lines:
        if line.startswith(" "):
            if line.lstrip().startswith("|"):
                if (found and found[-1] == head + ":") or (found and found[-1].lstrip().startswith("|")):
                    found.append(line)
                else:
                    found += [head + ":", line]
            else:
                found.append(f"{head}: {line.strip()}")
        elif line.endswith(":") and not line.startswith("drop "):
            head = line[:-1]
        else:
            found.append(line)
    return list(dict.fromkeys(found))


def item_of(line: str) -> str:
    """What the password of a statement is for."""
    head = line.removeprefix("drop ").partition(":")[0].split()
    if head[:1] == ["user"]:
        return f"user:{' '.join(head[1:])}"
    if head[:1] == ["elevation"]:
        return f"elevation:{' '.join(head[1:])}"
    if head[:1] == ["entry"]:
        return f"entry:{' '.join(head[1:])}"
    return " ".join(head)


def _with_password(line: str, text: str) -> str:
    """A statement with a password that was chosen: hashed where it opens a lock, else masked, since it is sent on."""
    own = line.startswith(("user ", "elevation ", "entry "))
    stored = f"hashed {hash_text(text)}" if own else f"masked {mask(text)}"
    return f"{line} ".replace(f" {_TO_CHOOSE} ", f" {stored} ", 1).rstrip()


def roll_back(before: ParsedConfig, after: ParsedConfig) -> list[str]:
    """The statements that take a change back. For a stored password that is to come back stands ``withheld``."""
    found: list[str] = []
    changes = statement_changes(after, before, HashBudget(0))
    ordered: dict[tuple[str, str], list[StatementChange]] = {}
    for each in changes:
        ordered.setdefault((each.block, each.field if each.field in _IN_ORDER else ""), []).append(each)
    for (block, field), several in ordered.items():
        gone = [each for each in several if each.new is None]
        back = [each for each in several if each.new is not None]
        if field and not (gone and not back and all(each.whole for each in several)):
            held = [_lines_of(each, block, field) for each in (after, before)]
            found += [f"drop {block}: {line}" for line in dict.fromkeys(held[0])]
            found += [f"{block}: {line}" for line in held[1]]
            continue
        if block.startswith("banner "):
            lines = before.device.banners[block.partition(" ")[2]].lines if back or not gone[0].whole else ()
            found.append(
                "\n".join([f"{block}:", *(f"    | {line}".rstrip() for line in lines)]) if lines else f"drop {block}"
            )
            continue
        found += dict.fromkeys(_written(block, each) for each in back)
        if gone and all(each.whole for each in several) and not back:
            found.append(f"drop {block}")
        else:
            found += dict.fromkeys(_taken(block, each) for each in gone)
    return found


#: Fields whose values mean something by their order, and are no secrets.
_IN_ORDER = ("rules", "methods")


def _lines_of(config: ParsedConfig, block: str, field: str) -> list[str]:
    """The statements that a block fills a field with, in their order."""
    for each in Normaliser(secrets=False).blocks(config.device):
        if unparse_statement(each.header) == block:
            return [unparse_statement(one) for one in each.body if one.spec.field == field]
    return []


def _written(block: str, change: StatementChange) -> str:
    text = _withheld(change.new or "")
    if text == block:
        return f"{block}:"
    if text.startswith("|"):
        return f"{block}:\n    {text}"
    return f"{block}: {text}"


def _taken(block: str, change: StatementChange) -> str:
    """A statement taken back: by its keyword, or where several may stand by all of it."""
    text = change.old or ""
    if text == block or text.startswith("|"):
        return f"drop {block}"
    name, _, family = change.field.partition(" ")
    if family:  # for IPv4 or IPv6 alone
        return f"drop {block}: {text}" + ("" if text.endswith(family) else f" {family}")
    kind = block.split()[0]
    if kind == "entry":
        kind = "vty" if block.startswith("entry vty") else "port"
    row = SCHEMA.by_field.get((kind, name))
    whole = row is not None and row.spec.adds and "***" not in text
    return f"drop {block}: {text if whole else text.split()[0]}"


def _withheld(text: str) -> str:
    """A statement whose password is struck out, with ``withheld`` in its place."""
    words = text.split(" ")
    if "***" not in words:
        return text
    at = words.index("***")
    return " ".join([*words[: at - 1], _TO_CHOOSE, *words[at + 1 :]])
