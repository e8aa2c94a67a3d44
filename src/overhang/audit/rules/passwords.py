"""Stored passwords: readable, masked, weakly hashed, the same in several places, and such as anybody would guess."""

import re
from collections.abc import Iterable, Iterator

from overhang.audit.context import RuleContext, SecretLocation, listed
from overhang.audit.findings import Finding
from overhang.audit.fixes import block
from overhang.audit.rules.elevation import shown_items
from overhang.audit.rules.unauthenticated import rekeyed
from overhang.audit.severity import AttackerEffort
from overhang.model.stored_secret import Form
from overhang.model.verification import opens, plain_text, scheme_of, the_same

_MOST_TRIES = 500
_COMMON = 1000
#: What one try takes, in seconds, on a plain machine; dearer schemes are as dear as their text says.
_FAST = {"MD5 crypt": 0.0005, "SHA-256 crypt": 0.006, "SHA-512 crypt": 0.006}
_SLOW = 0.05
_ROUNDS = re.compile(r"\$(?:[56]\$rounds=|pbkdf2[a-z0-9-]*\$)(\d+)\$")
_FEW_ROUNDS = 1000


def stored(context: RuleContext) -> list[SecretLocation]:
    """The stored passwords that no rule of elevation or SNMP tells of."""
    return [each for each in context.passwords() if not each.item.startswith(("elevation:", "community:"))]


def check_forms(context: RuleContext) -> Iterator[Finding]:
    """Passwords that are stored readable, and such as are stored masked."""
    places = stored(context)
    readable = [place for place in places if place.said.value.readable]
    masked = [place for place in places if place.said.value.masked]
    for form, rule, how, found in (
        ("readable", "password-readable", "whoever sees a copy of the configuration has", readable),
        ("masked", "password-masked", "masking reverses in an instant, so whoever has a copy has", masked),
    ):
        if not found:
            continue
        count = "1 password is" if len(found) == 1 else f"{len(found)} passwords are"
        it = "it" if len(found) == 1 else "them"
        message = f"{count} stored {form} ({listed(place.label for place in found)}): {how} {it}"
        names = {place.item for place in found}
        paths = [path for path in context.opened_by(shown_items(context)) if names & context.names_of(path)]
        fix = [line for item in dict.fromkeys(place.item for place in found) for line in rekeyed(context, item)]
        if form == "readable" and context.device.passwords.mask is None:
            fix += block("passwords", "mask yes")
        because = [place.said.origin for place in found]
        also = [path for name in names for path in context.needing(name)]
        yield context.opened(
            rule,
            message,
            because,
            paths,
            AttackerEffort.LEARNING,
            fix,
            *(("form", each) for each in because),
            also=also,
        )


def check_old_hash(context: RuleContext) -> Iterator[Finding]:
    """Passwords whose hash is of an old kind, or made with so few rounds that trying is cheap."""
    found = [(place, why) for place in context.passwords() if (why := _old(place))]
    if not found:
        return
    kinds = listed(why for _, why in found)
    message = (
        f"{listed(place.label for place, _ in found)}: stored as {kinds}, which a reader of a copy can "
        "try millions of times a second"
    )
    paths = [path for place, _ in found for path in context.needing(place.item)]
    fix = [line for place, _ in found for line in rekeyed(context, place.item)]
    yield context.opened(
        "old-hash", message, [place.said.origin for place, _ in found], dict.fromkeys(paths), AttackerEffort.EFFORT, fix
    )


def _old(place: SecretLocation) -> str:
    text = place.said.value.text
    if place.said.value.form is not Form.HASHED:
        return ""
    if scheme_of(text) == "MD5 crypt":
        return "MD5 crypt"
    rounds = _ROUNDS.match(text)
    return (
        f"{scheme_of(text)} with {rounds.group(1)} rounds" if rounds and int(rounds.group(1)[:9]) < _FEW_ROUNDS else ""
    )


def check_same(context: RuleContext) -> Iterator[Finding]:
    """Passwords that are provably kept in several places; the enable secret is a case of its own."""
    groups, undone = alike([place for place in context.passwords() if not place.item.endswith("/dead")])
    if undone:
        why = "comparing a readable password with a hash takes long, and there are many of both"
        context.not_examined.append((f"{undone:,} comparisons of passwords", why, ()))
    for places in groups:
        if len(places) < 2:
            continue
        labels = listed(place.label for place in places)
        credentials = {place.item for place in places}
        paths = context.opened_by(_with_equals(context, credentials))
        because = [place.said.origin for place in places]
        if any(item.startswith("elevation:") for item in credentials):
            rule = "enable-secret-reused"
            others = listed(place.label for place in places if place.item != "elevation:15") or labels
            message = f"the enable secret is also the password of {others}: who has the one is let up by the other"
            fix = [
                line for item in sorted(credentials) if item.startswith("elevation:") for line in rekeyed(context, item)
            ]
        else:
            rule = "same-password"
            message = f"the same password is kept in {len(places)} places ({labels}): who learns one has them all"
            fix = [line for place in places[1:] for line in rekeyed(context, place.item)]
        yield context.opened(rule, message, because, paths, AttackerEffort.LEARNING, fix)


def _with_equals(context: RuleContext, credentials: Iterable[str]) -> set[str]:
    """Items with all that are the same password: with one the others are known."""
    found = set(credentials)
    for names in context.exposure.credentials.names:
        if found & set(names):
            found |= set(names)
    return found


def alike(places: list[SecretLocation]) -> tuple[list[list[SecretLocation]], int]:
    """The places in groups of provably equal passwords, and how many comparisons were left undone.

    Equal texts, behind any form, are found at once; then each distinct hash is tried with each distinct readable text,
    up to a limit, since a try takes milliseconds.
    """
    groups: dict[tuple[str, str], list[SecretLocation]] = {}
    for place in places:
        groups.setdefault(_key(place), []).append(place)
    plains = [key for key in groups if key[0] == "plain"]
    hashes = [key for key in groups if key[0] == Form.HASHED.value]
    tried = 0
    for hashed in hashes:
        for plain in plains:
            if tried == _MOST_TRIES:
                break
            tried += 1
            if the_same(groups[plain][0].said.value, groups[hashed][0].said.value):
                groups[plain] += groups.pop(hashed)
                break
    found = [sorted(group, key=lambda place: place.said.origin.line) for group in groups.values()]
    return found, max(0, len(plains) * len(hashes) - tried) if tried == _MOST_TRIES else 0


def _key(place: SecretLocation) -> tuple[str, str]:
    stored = place.said.value
    plain = plain_text(stored)
    if plain:
        return "plain", plain
    if stored.form in (Form.WITHHELD, Form.NONE, Form.FACTORY) or plain == "":
        return "alone", str(place.said.origin)
    return stored.form.value, stored.text


# -- guessing ----------------------------------------------------------------------------------------------------------


def check_guessable(context: RuleContext) -> Iterator[Finding]:
    """Passwords that are a name on the device or one of the commonest, as far as the time for guessing goes."""
    hashes = sum(place.said.value.form is Form.HASHED for place in context.passwords())
    time = context.thresholds.guess / max(1, hashes)
    untried = 0
    for place in context.passwords():
        if place.item.endswith("/dead"):
            continue
        own = [name for name in own_names(context, place) if name]
        plain = plain_text(place.said.value)
        why = ""
        if plain:
            folded = plain.casefold()
            why = (
                "a name that everybody knows" if folded in own else "one of the commonest" if folded in common() else ""
            )
        elif place.said.value.form is Form.HASHED:
            cost = _cost(place.said.value.text)
            guesses = [name for name in own if place.item.startswith("user:")][:1]
            if any(opens(place.said.value, guess) for guess in guesses):
                why = "a name that everybody knows"
            elif time > 0:
                guesses = list(common())[: max(1, int(time / cost))]
                why = "one of the commonest" if any(opens(place.said.value, guess) for guess in guesses) else ""
                untried += not why and len(guesses) < _COMMON
            else:
                untried += 1
        if why:
            yield _guessed(context, place, why)
    if untried:
        what = "whether hashed passwords are among the commonest"
        context.not_examined.append((what, "not all were tried, since that takes long; --guess 10s gives it time", ()))


def _guessed(context: RuleContext, place: SecretLocation, why: str) -> Finding:
    paths = context.opened_by(_with_equals(context, {place.item}))
    rule = "snmp-guessable" if place.item.startswith("community:") else "guessable-password"
    message = f"the password of {place.label} is {why}: it is among the first that anybody tries"
    if rule == "snmp-guessable":
        message = f"{place.label} is {why}: it is among the first that anybody tries"
    return context.opened(
        rule, message, [place.said.origin], paths, AttackerEffort.NOTHING, rekeyed(context, place.item)
    )


def own_names(context: RuleContext, place: SecretLocation) -> list[str]:
    """Names that somebody would try first: the account's, the device's, its site's words."""
    device = context.device
    words = [place.item.partition(":")[2]] if place.item.startswith("user:") else []
    words += [device.facts.name.value] if device.facts.name else []
    return [word.casefold() for word in dict.fromkeys(words)]


def _cost(text: str) -> float:
    rounds = _ROUNDS.match(text)
    scheme = scheme_of(text) or ""
    if scheme in ("SHA-256 crypt", "SHA-512 crypt") and rounds:
        return 0.006 * int(rounds.group(1)[:9]) / 5000
    return _FAST.get(scheme, _SLOW)


_COMMONEST: dict[str, None] = {}


def common() -> dict[str, None]:
    """The commonest passwords, commonest first."""
    if not _COMMONEST:
        from zxcvbn.frequency_lists import FREQUENCY_LISTS  # a large module, which most runs do not need

        _COMMONEST.update(dict.fromkeys(FREQUENCY_LISTS["passwords"][:_COMMON]))
    return _COMMONEST
