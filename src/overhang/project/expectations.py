"""Reading the ``[[expect]]`` tables of a project file: what should be so."""

import datetime
from collections.abc import Iterable, Mapping, Sequence
from typing import Any

from overhang.model import Prefix, parse_prefix
from overhang.model.values import DAYS
from overhang.model.vocabulary import ALL_WAYS, DOOR
from overhang.project.model import Expectation, Person
from overhang.text.toml_file import TomlValidator, suggestion

#: A Monday: the moments of a week are reckoned from it.
_MONDAY = datetime.date(2024, 1, 1)
ANYBODY, ANYWHERE, ANY = "anybody", "anywhere", "any"
_KEYS = ("say", "who", "via", "from", "reaches", "below", "servers", "at", "devices", "kinds", "sites")


class ExpectationReader:
    """Reads expectations; what is wrong becomes a problem of the validator, at the line of the expectation."""

    def __init__(
        self,
        validator: TomlValidator,
        networks: Mapping[str, tuple[Prefix, ...]],
        people: Mapping[str, Person],
        states: Mapping[str, frozenset[str]],
    ) -> None:
        self._validator = validator
        self._networks = networks
        self._people = people
        self._states = states
        self._line = 0
        self._label = ""

    def read(self, tables: Sequence[Mapping[str, Any]]) -> tuple[Expectation, ...]:
        """The expectations, as far as they can be read."""
        found = []
        for index, table in enumerate(tables):
            self._line = self._validator.places.of_item("expect", index)
            self._label = f"expect {index + 1}"
            found.append(self._one(table))
        return tuple(found)

    def _bad(self, message: str) -> None:
        self._validator.bad(self._line, f"{self._label}: {message}")

    def _one(self, table: Mapping[str, Any]) -> Expectation:
        for key in table:
            if key not in _KEYS:
                hint = suggestion(key, _KEYS, f"known here: {', '.join(_KEYS)}")
                self._bad(f"unknown key {key}; {hint}")
        say = table.get("say")
        if not isinstance(say, str) or not say.strip():
            self._bad("say: expected a sentence that names the expectation")
            say = ""
        who, via, sources, servers = (self._texts(table, key) for key in ("who", "via", "from", "servers"))
        self._known("who", who, [ANYBODY, *self._people])
        if not who or (ANYBODY in who and len(who) > 1):
            self._bad("who: expected people, or anybody alone")
        self._known("via", [way for way in via if not way.startswith(DOOR)], ALL_WAYS)
        self._known("servers", servers, [ANY, "up", "down", *self._states])
        reaches, below = self._level(table, "reaches"), self._level(table, "below")
        if reaches is None and below is None and not set(table) - set(_KEYS):
            self._bad("expected a level under reaches or below")
        if ANYBODY in who and reaches is not None:
            self._bad("reaches: for anybody only below can be given")
        anywhere = ANYWHERE in sources or (ANYBODY in who and not sources)
        down = servers[0] if servers else "up"
        return Expectation(
            say,
            () if ANYBODY in who else who,
            via,
            reaches,
            below,
            None if anywhere or not sources else self._prefixes(sources),
            anywhere,
            self._states.get(down, down),
            self._texts(table, "devices"),
            self._texts(table, "kinds"),
            self._texts(table, "sites"),
            self._at(table.get("at")),
        )

    def _at(self, value: Any) -> tuple[datetime.datetime, ...] | None:
        """The moments of a week that a time of day stands for, ``09:30`` or ``sun 09:30``; None where none is given."""
        if value is None:
            return None
        *day, time = value.split() if isinstance(value, str) else ("",)
        try:
            clock = datetime.time.fromisoformat(time)
            numbers = [DAYS.index(each) for each in day] if len(day) == 1 else list(range(7)) if not day else []
        except ValueError:
            numbers = []
        if not numbers:
            self._bad("at: expected a time of day, like 09:30 or sun 09:30")
        return tuple(datetime.datetime.combine(_MONDAY + datetime.timedelta(days=each), clock) for each in numbers)

    def _texts(self, table: Mapping[str, Any], key: str) -> tuple[str, ...]:
        given = table.get(key, [])
        given = [given] if isinstance(given, str) else given
        if not isinstance(given, list) or not all(isinstance(each, str) for each in given):
            self._bad(f"{key}: expected a text or a list of texts")
            return ()
        return tuple(given)

    def _known(self, key: str, words: Iterable[str], among: Iterable[str]) -> None:
        known = list(among)
        for word in words:
            if word not in known:
                hint = suggestion(word, known, "")
                self._bad(f"{key}: nothing is called {word}" + (f"; {hint}" if hint else ""))

    def _level(self, table: Mapping[str, Any], key: str) -> int | None:
        value = table.get(key)
        if value is not None and (isinstance(value, bool) or not isinstance(value, int) or not 0 <= value <= 15):
            self._bad(f"{key}: a level is a number from 0 to 15")
            return 0
        return value

    def _prefixes(self, words: Iterable[str]) -> tuple[Prefix, ...]:
        found: list[Prefix] = []
        for word in words:
            if word in self._networks:
                found += self._networks[word]
                continue
            try:
                found.append(parse_prefix(word))
            except ValueError:
                hint = suggestion(word, [*self._networks, ANYWHERE], "")
                hint = f"; {hint}" if hint else ""
                self._bad(f"from: {word} is neither a network of this file nor a prefix{hint}")
        return tuple(found)
