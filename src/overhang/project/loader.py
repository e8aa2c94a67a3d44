"""Reading ``overhang.toml``: every key is known, or a problem with its line and a suggestion."""

import datetime
import os
from collections.abc import Callable, Iterator, Mapping
from functools import partial
from typing import Any

from overhang.files import PROJECT
from overhang.model import Prefix, parse_address, parse_prefix
from overhang.model.vocabulary import PORTS
from overhang.profiles import BUILTIN, KEYS, Profile, derive
from overhang.profiles.model import mistakes, text_of
from overhang.project.expectations import ExpectationReader
from overhang.project.model import Person, Project, Waiver
from overhang.project.thresholds import THRESHOLDS, Thresholds
from overhang.text import OverhangError
from overhang.text.toml_file import TomlProblem, TomlValidator, parse_toml, suggestion

_LARGEST = 8_000_000
_KEYS = (
    "profile management locked-away apart thresholds networks people servers states profiles dialects expect waivers "
    "here"
).split()


class BadProject(OverhangError):
    """A project file that cannot be used, with everything that is wrong with it."""

    def __init__(self, file: str, problems: list[TomlProblem]) -> None:
        super().__init__(file, problems)  # all of it, so that it can be sent
        self.file, self.problems = file, problems

    def __str__(self) -> str:
        first, more = self.problems[0], len(self.problems) - 1
        text = f"{self.file}:{first.line}: {first.message}" if first.line else f"{self.file}: {first.message}"
        return text + (f" (and {more} more)" if more else "")


def find_project(folder: str) -> str | None:
    """The project file that holds in ``folder``: the nearest one in it or above it."""
    return next((each for each in candidates(folder) if os.path.isfile(each)), None)


def candidates(folder: str) -> Iterator[str]:
    """Where the project file of a folder is looked for, there or not: the nearest place first."""
    at = os.path.abspath(folder)
    while True:
        yield os.path.join(at, PROJECT)
        above = os.path.dirname(at)
        if above == at:
            return
        at = above


def read_project(path: str) -> Project:
    """Read a project file. Raises BadProject."""
    try:
        with open(path, "rb") as stream:
            data = stream.read(_LARGEST + 1)
    except OSError as error:
        raise BadProject(path, [TomlProblem(0, f"cannot be read: {error.strerror}")]) from None
    parsed = parse_toml(data, _LARGEST, "project file")
    if isinstance(parsed, TomlProblem):
        raise BadProject(path, [parsed])
    table, lines = parsed
    reader = _Loader(lines)
    project = reader.project(path, table)
    if reader.problems:
        raise BadProject(path, sorted(set(reader.problems)))
    return project


def _prefixes(texts: tuple[str, ...]) -> tuple[Prefix, ...]:
    return tuple(map(parse_prefix, texts))


def _addresses(texts: tuple[str, ...]) -> frozenset[str]:
    return frozenset(str(parse_address(text)) for text in texts)


class _Loader(TomlValidator):
    def project(self, path: str, table: Mapping[str, Any]) -> Project:
        self.known(table, _KEYS, "", "")
        networks = self.networks(table)
        people = self.people(table)
        for person in people.values():
            for place in person.sits:
                self.among(place, [*networks, *PORTS], f"people.{person.name}", "", "no network is called")
        management = self.texts(table, "management")
        for name in management:
            self.among(name, networks, "", "management", "no network is called")
        profiles = self.profiles(table)
        profile = self.word(table, "profile", "") or None
        if profile is not None and profile not in profiles:
            hint = suggestion(profile, profiles, f"expected one of {', '.join(profiles)}")
            self.bad_key("", "profile", f"no profile is called {profile}; {hint}")
        expectations = ExpectationReader(self, networks, people, self.states(table))
        return Project(
            path,
            self.thresholds(table),
            networks,
            people,
            self.servers(table),
            profiles,
            expectations.read(self.tables(table, "expect")),
            management,
            self.texts(table, "locked-away"),
            self.waivers(table),
            self.dialects(table),
            profile,
            self.apart(table, networks),
            self.here(table),
        )

    def here(self, table: Mapping[str, Any]) -> Mapping[str, str]:
        """Which addresses of this machine stand for which sources, for devices that stand in."""
        found: dict[str, str] = {}
        for address, peer in self.inner(table, "here", "").items():
            try:
                parse_address(address)
                right = isinstance(peer, str) and parse_address(peer).family == 4 and peer.startswith("127.")
            except ValueError:
                right = False
            if right:
                found[address] = peer
            else:
                self.bad_key("here", address, 'expected ADDRESS = "127.0.0.N", an address of this machine alone')
        return found

    def apart(self, table: Mapping[str, Any], networks: Mapping[str, Any]) -> tuple[tuple[str, str], ...]:
        """Pairs of networks between which no connection passes."""
        value = table.get("apart", [])
        pairs = value if isinstance(value, list) else [value]
        found = []
        for pair in pairs:
            if not isinstance(pair, list) or len(pair) != 2 or not all(isinstance(each, str) for each in pair):
                self.bad_key("", "apart", 'expected pairs of networks, as in [["ships", "office"]]')
                return ()
            for name in pair:
                self.among(name, networks, "", "apart", "no network is called")
            found.append((pair[0], pair[1]))
        return tuple(found)

    # -- small helpers -------------------------------------------------------------------------------------------------

    def among(self, name: str, known: Any, path: str, key: str, what: str) -> None:
        """Note a name that nothing has."""
        if name not in known:
            hint = suggestion(name, known, "")
            self.bad_key(path, key, f"{what} {name}" + (f"; {hint}" if hint else ""))

    def inner(self, table: Mapping[str, Any], name: str, path: str) -> Mapping[str, Any]:
        """The table of a name below another table."""
        return self.table(table, name, path)

    def list_of_texts(self, table: Mapping[str, Any], key: str, path: str) -> tuple[str, ...]:
        """The list of texts under a key; one alone will not do."""
        value = table.get(key, [])
        if not isinstance(value, list) or not all(isinstance(each, str) for each in value):
            self.bad_key(path, key, "expected a list of texts")
            return ()
        return tuple(value)

    def read(self, path: str, key: str, reader: Callable[[], Any], otherwise: Any) -> Any:
        """What a reader gives; a problem, and ``otherwise``, where it raises ValueError."""
        try:
            return reader()
        except ValueError as wrong:
            self.bad_key(path, key, str(wrong))
            return otherwise

    # -- the tables ----------------------------------------------------------------------------------------------------

    def thresholds(self, table: Mapping[str, Any]) -> Thresholds:
        given = self.table(table, "thresholds")
        self.known(given, [each.key for each in THRESHOLDS], "thresholds", "thresholds.")
        fields: dict[str, int] = {}
        for each in THRESHOLDS:
            if each.key in given:
                fields[each.field] = self.read("thresholds", each.key, partial(each.read, given[each.key]), 0)
        return Thresholds(**fields)

    def networks(self, table: Mapping[str, Any]) -> Mapping[str, tuple[Prefix, ...]]:
        given = self.table(table, "networks")
        found: dict[str, tuple[Prefix, ...]] = {}
        for name in given:
            texts = self.list_of_texts(given, name, "networks")
            found[name] = self.read("networks", name, partial(_prefixes, texts), ())
        return found

    def people(self, table: Mapping[str, Any]) -> Mapping[str, Person]:
        given = self.table(table, "people")
        people = {}
        for name in given:
            path = f"people.{name}"
            person = self.inner(given, name, "people")
            self.known(person, ("knows", "account", "sits"), path, f"{path}.")
            account = person.get("account")
            if account is not None and not isinstance(account, str):
                self.bad_key(path, "account", "expected the name of an account")
                account = None
            knows, sits = (self.list_of_texts(person, key, path) for key in ("knows", "sits"))
            people[name] = Person(name, knows, account, sits)
        return people

    def servers(self, table: Mapping[str, Any]) -> Mapping[str, Mapping[str, Mapping[str, Any]]] | None:
        if "servers" not in table:
            return None
        given = self.table(table, "servers")
        for group in given:
            accounts = self.inner(given, group, "servers")
            for name in accounts:
                path = f"servers.{group}.{name}"
                account = self.inner(accounts, name, f"servers.{group}")
                self.known(account, ("level",), path, f"{path}.")
                level = account.get("level", 0)
                if not isinstance(level, int) or isinstance(level, bool) or not 0 <= level <= 15:
                    self.bad_key(path, "level", "a level is a number from 0 to 15")
        return given

    def states(self, table: Mapping[str, Any]) -> Mapping[str, frozenset[str]]:
        """Named states of the servers: the addresses of those that are down."""
        given = self.table(table, "states")
        found: dict[str, frozenset[str]] = {}
        for name in given:
            texts = self.list_of_texts(given, name, "states")
            found[name] = self.read("states", name, partial(_addresses, texts), frozenset())
        return found

    def dialects(self, table: Mapping[str, Any]) -> Mapping[str, str]:
        given = self.table(table, "dialects")
        for pattern, value in given.items():
            if not isinstance(value, str) or not value:
                self.bad_key("dialects", pattern, "expected the name of a dialect, or its file")
        return given

    def profiles(self, table: Mapping[str, Any]) -> Mapping[str, Profile]:
        given = self.table(table, "profiles")
        profiles = dict(BUILTIN)
        for name in given:
            path = f"profiles.{name}"
            changes = dict(self.inner(given, name, "profiles"))
            base = changes.pop("base", None)
            if name in BUILTIN:
                self.bad_key(path, "", "a built-in profile has this name; choose another")
            elif not isinstance(base, str) or base not in profiles:
                expected = f"expected one of {', '.join(profiles)}"
                hint = suggestion(str(base), profiles, expected) if base is not None else expected
                self.bad_key(path, "base", hint)
            else:
                texts = {key: text_of(each) for key, each in changes.items()}
                wrong = list(mistakes(texts, KEYS))
                for each in wrong:
                    self.bad_key(path, each.key, str(each))
                if not wrong:
                    profiles[name] = derive(name, profiles[base], texts, KEYS)
        return profiles

    def waivers(self, table: Mapping[str, Any]) -> tuple[Waiver, ...]:
        found = []
        for index, each in enumerate(self.tables(table, "waivers")):
            line = self.places.of_item("waivers", index)
            path = f"waivers.{index}"
            self.known(each, ("rule", "devices", "reason", "until"), path, "waivers.")
            rule, reason, until = (each.get(key) for key in ("rule", "reason", "until"))
            for key, text in (("rule", rule), ("reason", reason)):
                if not isinstance(text, str) or not text.strip():
                    self.bad(line, f"waivers.{key}: a waiver needs a rule, a reason and its last day")
            if type(until) is not datetime.date:
                self.bad(line, "waivers.until: expected the last day, as in 2031-05-17, without quotes")
                until = datetime.date.min
            devices = self.texts(each, "devices", path) or ("*",)
            found.append(Waiver(str(rule), devices, str(reason), until, line))
        return tuple(found)
