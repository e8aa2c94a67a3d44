"""Stored passwords: in clear text, reversible, weakly hashed, the same in several places, or easily guessed."""

import os
import re
from collections.abc import Iterable, Iterator, Mapping, Sequence
from collections.abc import Set as AbstractSet
from importlib.machinery import PathFinder, SourceFileLoader
from types import ModuleType

from overhang.auditing import fixes
from overhang.auditing.context import RuleContext
from overhang.auditing.findings import Fault, Finding, Severity, stated
from overhang.auditing.registry import Topic
from overhang.auditing.severity import AttackerEffort
from overhang.auditing.stored_passwords import PasswordPlace
from overhang.auditing.wording import counted, listed
from overhang.exposure import backup_reader
from overhang.model import hash_budget as equality
from overhang.model.items import named_in
from overhang.model.stored_secret import Form
from overhang.model.verification import malformed, plain_text, scheme_of

rule = Topic("passwords", 5)
#: The most common passwords of all, tried without being asked for: to load the list of a thousand takes
#: longer than most audits.
_FEW = (
    *("123456", "password", "12345678", "qwerty", "123456789", "12345", "1234", "111111"),
    *("1234567", "dragon", "123123", "baseball", "abc123", "football", "monkey", "letmein"),
)
_COMMON = 1000
_NAME, _COMMONEST_ONES = "a well-known name", "one of the most common"
_MORE = "--guess gives more to that"
_LONG = f"trying costs more than there is for one device; {_MORE}"
_ROUNDS = re.compile(r"\$(?:[56]\$rounds=|pbkdf2[a-z0-9-]*\$)(\d+)\$")
_FEW_ROUNDS = 1000


# -- how they are stored -----------------------------------------------------------------------------------------------


def _stored(context: RuleContext) -> list[PasswordPlace]:
    """The stored passwords that no rule of elevation, SNMP or shared secrets reports."""
    return [each for each in context.passwords if not each.item.startswith(("elevation:", "community:", "secret:"))]


def _reversible(context: RuleContext, places: list[PasswordPlace], form: str, why: str) -> Iterator[Finding]:
    if not places:
        return
    be, it = ("is", "it") if len(places) == 1 else ("are", "them")
    where = listed(place.label for place in places)
    message = (
        f"{counted(len(places), 'password')} ({where}) {be} stored {form}: "
        f"{why}any copy of the configuration discloses {it}"
    )
    names = {place.item for place in places}
    paths = [path for path in context.opened_by(backup_reader(context.exposure)) if names & context.names_of(path)]
    fix = [line for item in dict.fromkeys(place.item for place in places) for line in fixes.new_password(context, item)]
    if form == "in clear text" and context.device.passwords.mask is None:
        fix += fixes.block("passwords", "mask yes")
    because = [place.said.origin for place in places]
    also = [path for name in names for path in context.needing(name)]
    keys = [Fault.STORED.at(each) for each in because]
    yield context.opened(message, because, paths, AttackerEffort.SECRET_EXPOSED, fix, *keys, also=also)


@rule("password-clear-text", after="account-unused")
def password_clear_text(context: RuleContext) -> Iterator[Finding]:
    """Passwords that are stored in clear text."""
    places = [place for place in _stored(context) if place.said.value.readable]
    return _reversible(context, places, "in clear text", "")


@rule("password-reversible", after="account-unused")
def password_reversible(context: RuleContext) -> Iterator[Finding]:
    """Passwords that are stored masked."""
    places = [place for place in _stored(context) if place.said.value.masked]
    return _reversible(context, places, "reversibly", "masking reverses in an instant, so ")


@rule("shared-secret-exposed")
def shared_secret_exposed(context: RuleContext) -> Iterator[Finding]:
    """Shared secrets of AAA servers that are stored in clear text or masked."""
    for masked, form in ((False, "in clear text"), (True, "reversibly")):
        places = [
            place
            for place in context.passwords
            if place.item.startswith("secret:") and (place.said.value.masked if masked else place.said.value.readable)
        ]
        if places:
            be, it = ("is", "it") if len(places) == 1 else ("are", "them")
            labels = listed(place.label for place in places)
            secrets = "the shared secret" if len(places) == 1 else "the shared secrets"
            message = f"{secrets} of {labels} {be} stored {form}: any copy of the configuration discloses {it}"
            fix = [line for item in dict.fromkeys(p.item for p in places) for line in fixes.new_password(context, item)]
            yield stated(Severity.LOW, message, [place.said.origin for place in places], fix)


@rule("weak-hash")
def weak_hash(context: RuleContext) -> Iterator[Finding]:
    """Passwords whose hash is of an old kind, or made with so few rounds that trying is cheap."""
    found = [(place, why) for place in context.passwords if (why := _weak(place))]
    if not found:
        return
    labels, kinds = listed(place.label for place, _ in found), listed(why for _, why in found)
    message = f"{labels}: hashed with {kinds}, which allows millions of guesses a second against a copy"
    paths = [path for place, _ in found for path in context.needing(place.item)]
    fix = [line for place, _ in found for line in fixes.new_password(context, place.item)]
    because = [place.said.origin for place, _ in found]
    yield context.opened(message, because, dict.fromkeys(paths), AttackerEffort.SECRET_NEEDED, fix)


def _weak(place: PasswordPlace) -> str:
    text = place.said.value.text
    if place.said.value.form is not Form.HASHED:
        return ""
    if scheme_of(text) in ("DES crypt", "MD5 crypt"):
        return scheme_of(text) or ""
    rounds = rounds_of(text)
    return f"{scheme_of(text)} at {rounds} rounds" if rounds and int(rounds[:9]) < _FEW_ROUNDS else ""


def rounds_of(text: str) -> str:
    """How many rounds a hash says that it was made with; "" where it does not."""
    found = _ROUNDS.match(text)
    return "" if found is None else found.group(1)


# -- equal ones --------------------------------------------------------------------------------------------------------


def groups_of_equal(context: RuleContext) -> list[list[PasswordPlace]]:
    """The stored passwords that are used, in groups of provably equal ones."""

    def find() -> list[list[PasswordPlace]]:
        used = [place for place in context.passwords if not place.unused]
        groups, untried = equality.groups_of_equal(
            ((place, place.said.value) for place in used), context.resolved.hashes
        )
        if untried:
            context.not_examined.append((f"{counted(untried, 'comparison')} of a password with a hash", _LONG))
        return [sorted(group, key=lambda place: place.said.origin.line) for group in groups]

    return context.keep("equal passwords", find)


def with_equals(context: RuleContext, items: Iterable[str]) -> AbstractSet[str]:
    """Items with all that are the same password: with one the others are known."""
    credentials = context.exposure.credentials
    given = set(items)
    numbers = {credentials.number(item) for item in given if credentials.has(item)}
    if len(numbers) == 1:  # thousands of accounts may have one password
        number = numbers.pop()
        named = context.keep(("named", number), lambda: frozenset(credentials.names[number]))
        return named if given <= named else named | given
    return given.union(*(credentials.names[number] for number in numbers))


@rule("same-password")
def same_password(context: RuleContext) -> Iterator[Finding]:
    """Passwords that are provably the same in several places, the enable secret left out."""
    for places in groups_of_equal(context):
        items = {place.item for place in places}
        if len(places) < 2 or any(item.startswith("elevation:") for item in items):
            continue
        labels = listed(place.label for place in places)
        message = f"the same password is used in {len(places)} places ({labels}): one leak opens all of them"
        fix = [line for place in places[1:] for line in fixes.new_password(context, place.item)]
        paths = context.opened_by(with_equals(context, items))
        because = [place.said.origin for place in places]
        yield context.opened(message, because, paths, AttackerEffort.SECRET_EXPOSED, fix)


@rule("hash-malformed")
def hash_malformed(context: RuleContext) -> Iterator[Finding]:
    """Hashes that no password can match, since they are cut or not of the form of their kind."""
    broken = [place for place in context.passwords if malformed(place.said.value) and not place.unused]
    if not broken:
        return
    labels = listed(place.label for place in broken)
    message = f"{labels}: the hash is malformed, so no password can match it"
    fix = [line for place in broken for line in fixes.new_password(context, place.item)]
    yield context.locked_out(message, [place.said.origin for place in broken], fix)


# -- guessing ----------------------------------------------------------------------------------------------------------


def guessed(context: RuleContext) -> list[tuple[PasswordPlace, str]]:
    """The stored passwords that were guessed, each with what it is, as far as the budget for hashes goes."""
    return context.keep("guessed passwords", lambda: list(_guess(context)))


def _guess(context: RuleContext) -> Iterator[tuple[PasswordPlace, str]]:
    """Names first, then each common password with every hash before the next, as far as the budget goes."""
    groups_of_equal(context)  # what is equal is found out first, whichever rule asks
    hashed: list[PasswordPlace] = []
    for place in context.passwords:
        own = [name for name in own_names(context, place) if name]
        plain = plain_text(place.said.value)
        if place.unused:
            continue
        if plain:
            folded = plain.casefold()
            if folded in own or folded in common():
                yield place, _NAME if folded in own else _COMMONEST_ONES
        elif place.said.value.form is Form.HASHED and not malformed(place.said.value):
            hashed.append(place)
    found = list(_guess_hashes(context, hashed))
    yield from found


def _guess_hashes(context: RuleContext, places: list[PasswordPlace]) -> Iterator[tuple[PasswordPlace, str]]:
    budget = context.resolved.hashes
    costly = [place for place in places if not budget.affords(place.said.value)]
    left = [place for place in places if place not in costly]
    for place in list(left):
        name = next((each for each in own_names(context, place) if each), "") if place.item.startswith("user:") else ""
        if name and budget.opens(place.said.value, name):
            left.remove(place)
            yield place, _NAME
    tried = 0
    for candidate in common() if budget.asked else _FEW:
        if not any(budget.affords(place.said.value) for place in left):
            break
        for place in list(left):
            if budget.opens(place.said.value, candidate):
                left.remove(place)
                yield place, _COMMONEST_ONES
        tried += 1
    if costly:
        what = f"whether {counted(len(costly), 'hashed password')} can be guessed"
        context.not_examined.append((what, _LONG))
    if left and tried < _COMMON:
        some = f"only the {tried} most common were tried" if tried else "none was tried"
        context.not_examined.append(
            ("whether hashed passwords are among the thousand most common", f"{some}, since that takes long; {_MORE}")
        )


@rule("guessable-password")
def guessable_password(context: RuleContext) -> Iterator[Finding]:
    """Passwords that are a name on the device or one of the most common."""
    for place, why in guessed(context):
        if not place.item.startswith("community:"):
            message = f"the password of {place.label} is {why}: it is among the first that an attacker tries"
            yield guessed_finding(context, place, message)


def guessed_finding(context: RuleContext, place: PasswordPlace, message: str) -> Finding:
    """A finding about a password that was guessed."""
    paths = context.opened_by(with_equals(context, {place.item}))
    fix = fixes.new_password(context, place.item)
    return context.opened(message, [place.said.origin], paths, AttackerEffort.NOTHING, fix)


def own_names(context: RuleContext, place: PasswordPlace) -> list[str]:
    """Names that somebody would try first: the account's, and the device's."""
    device = context.device
    words = [place.item.partition(":")[2]] if place.item.startswith("user:") else []
    words += [device.facts.name.value] if device.facts.name else []
    return [word.casefold() for word in dict.fromkeys(words)]


_COMMONEST: dict[str, None] = {}


def common() -> dict[str, None]:
    """The most common passwords, the most common first."""
    if not _COMMONEST:
        _COMMONEST.update(dict.fromkeys(_frequency_lists()["passwords"][:_COMMON]))
    return _COMMONEST


def _frequency_lists() -> Mapping[str, Sequence[str]]:
    """The lists of the package zxcvbn, without the rest of it, which takes four times as long to import."""
    found = PathFinder.find_spec("zxcvbn")
    assert found is not None, "zxcvbn is a requirement"
    assert found.submodule_search_locations
    path = os.path.join(found.submodule_search_locations[0], "frequency_lists.py")
    module = ModuleType("zxcvbn.frequency_lists")
    SourceFileLoader(module.__name__, path).exec_module(module)
    lists: Mapping[str, Sequence[str]] = module.FREQUENCY_LISTS
    return lists


# -- several passwords for one lock ------------------------------------------------------------------------------------


@rule("weaker-password-beside", after="password-clear-text password-reversible")
def weaker_password_beside(context: RuleContext) -> Iterator[Finding]:
    """Locks that have a one-way password, and another one beside it that can be read."""
    by_lock: dict[tuple[str, str], list[PasswordPlace]] = {}
    for place in context.passwords:
        kind, name, _ = named_in(place.item)
        if kind not in ("community", "secret") and not place.unused:
            by_lock.setdefault((kind, name), []).append(place)
    for places in by_lock.values():
        weak = [each for each in places if each.said.value.readable or each.said.value.masked]
        if not weak or not any(each.said.value.one_way for each in places):
            continue
        how = "in clear text" if any(each.said.value.readable for each in weak) else "reversibly"
        message = (
            f"{places[0].label} has a one-way password, and beside it one stored {how} that opens it as well: the "
            "strong form protects nothing"
        )
        paths = [path for each in weak for path in context.needing(each.item)]
        fix = [line for each in weak for line in fixes.new_password(context, each.item)]
        because = [each.said.origin for each in places]
        yield context.opened(message, because, paths, AttackerEffort.SECRET_EXPOSED, fix)


@rule("few-letters-count")
def few_letters_count(context: RuleContext) -> Iterator[Finding]:
    """Passwords of which only the first characters count."""
    said, least = context.device.passwords.letters, context.thresholds.password_length
    if said is not None and said.value < least:
        message = (
            f"only the first {said.value} characters of a password count, below {least}: longer ones are no stronger"
        )
        yield stated(Severity.MEDIUM, message, [said.origin], ["drop passwords: letters"])
