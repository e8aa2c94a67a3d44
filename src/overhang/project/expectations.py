"""Reading the ``[[expect]]`` tables of a project file: what should be so."""

from collections.abc import Callable, Mapping
from typing import Any

from overhang.model import Prefix, parse_prefix
from overhang.project.model import Expectation, Project
from overhang.text import did_you_mean

WAYS = ("console", "auxiliary", "ssh", "telnet", "http", "https", "snmp")
ANYBODY, ANYWHERE, ANY = "anybody", "anywhere", "any"
_KEYS = ("say", "who", "via", "from", "reaches", "below", "servers", "devices", "kinds", "sites")
Bad = Callable[[str, str], Exception]


def read_expectations(
    value: Any, project: Project, states: Mapping[str, frozenset[str]], bad: Bad
) -> tuple[Expectation, ...]:
    """The claims. Raises what ``bad`` makes of a place and a message."""
    if not isinstance(value, list) or not all(isinstance(each, dict) for each in value):
        raise bad("expect", "expectations are written [[expect]]")
    return tuple(_claim(each, f"expect {number}", project, states, bad) for number, each in enumerate(value, 1))


def _claim(
    table: Mapping[str, Any], where: str, project: Project, states: Mapping[str, frozenset[str]], bad: Bad
) -> Expectation:
    for key in table:
        if key not in _KEYS:
            near = did_you_mean(key, _KEYS)
            raise bad(
                where, f"unknown key {key}; " + (f"did you mean {near}?" if near else f"known here: {', '.join(_KEYS)}")
            )

    def texts(key: str) -> tuple[str, ...]:
        given = table.get(key, [])
        given = [given] if isinstance(given, str) else given
        if not isinstance(given, list) or not all(isinstance(each, str) for each in given):
            raise bad(where, f"{key}: a text or a list of texts is expected")
        return tuple(given)

    def known(key: str, words: tuple[str, ...], among: list[str]) -> None:
        for word in words:
            if word not in among:
                near = did_you_mean(word, among)
                raise bad(where, f"{key}: nothing is called {word}" + (f"; did you mean {near}?" if near else ""))

    say = table.get("say")
    if not isinstance(say, str) or not say.strip():
        raise bad(where, "say: a sentence is expected, which names the claim")
    who, via, sources, servers = texts("who"), texts("via"), texts("from"), texts("servers")
    known("who", who, [ANYBODY, *project.people])
    if not who or (ANYBODY in who and len(who) > 1):
        raise bad(where, "who: people, or anybody alone, are expected")
    known("via", tuple(way for way in via if not way.startswith("door:")), [*WAYS])
    known("servers", servers, [ANY, "up", "down", *states])
    levels = {key: _level(table.get(key), key, where, bad) for key in ("reaches", "below")}
    if levels["reaches"] is None and levels["below"] is None:
        raise bad(where, "reaches or below: a level is expected")
    if ANYBODY in who and levels["reaches"] is not None:
        raise bad(where, "reaches: of anybody it can only be said what they stay below")
    anywhere = ANYWHERE in sources or (ANYBODY in who and not sources)
    prefixes = None if anywhere or not sources else _prefixes(sources, where, project, bad)
    down: str | frozenset[str] = servers[0] if servers else "up"
    return Expectation(
        say,
        () if ANYBODY in who else who,
        via,
        levels["reaches"],
        levels["below"],
        prefixes,
        anywhere,
        states.get(str(down), down),
        texts("devices"),
        texts("kinds"),
        texts("sites"),
    )


def _level(value: Any, key: str, where: str, bad: Bad) -> int | None:
    if value is None:
        return None
    if isinstance(value, bool) or not isinstance(value, int) or not 0 <= value <= 15:
        raise bad(where, f"{key}: a level is a number from 0 to 15")
    return value


def _prefixes(words: tuple[str, ...], where: str, project: Project, bad: Bad) -> tuple[Prefix, ...]:
    found: list[Prefix] = []
    for word in words:
        if word in project.networks:
            found += project.networks[word]
            continue
        try:
            found.append(parse_prefix(word))
        except ValueError:
            near = did_you_mean(word, [*project.networks, ANYWHERE])
            hint = f"; did you mean {near}?" if near else ""
            raise bad(where, f"from: {word} is neither a network of this file nor a prefix{hint}") from None
    return tuple(found)
