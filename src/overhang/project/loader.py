"""Reading ``overhang.toml``: every key is known, or an error with a suggestion."""

import datetime
import os
import re
from collections.abc import Callable, Iterable, Mapping
from typing import Any

from overhang.model import parse_address, parse_prefix
from overhang.profiles import BUILTIN, KEYS, Profile, derive
from overhang.profiles.model import BadProfile, text_of
from overhang.project.expectations import read_expectations
from overhang.project.model import Person, Project, Waiver
from overhang.project.thresholds import THRESHOLDS, Thresholds
from overhang.text import OverhangError, did_you_mean

NAME = "overhang.toml"
_LARGEST = 8_000_000


class BadProject(OverhangError):
    """A project file that cannot be used; the message says what, where and what to do."""


def find_project(folder: str) -> str | None:
    """The project file that holds in ``folder``: the nearest one in it or above it."""
    at = os.path.abspath(folder)
    while True:
        candidate = os.path.join(at, NAME)
        if os.path.isfile(candidate):
            return candidate
        above = os.path.dirname(at)
        if above == at:
            return None
        at = above


def read_project(path: str) -> Project:
    """Read a project file. Raises BadProject."""
    import tomllib  # only where there is such a file

    try:
        with open(path, "rb") as stream:
            data = stream.read(_LARGEST + 1)
    except OSError as error:
        raise BadProject(f"{path}: cannot be read: {error.strerror}") from None
    if len(data) > _LARGEST:
        raise BadProject(f"{path}: larger than {_LARGEST // 1_000_000} MB, which is no project file")
    try:
        table = tomllib.loads(data.decode("utf-8"))
    except UnicodeDecodeError:
        raise BadProject(f"{path}: not UTF-8 text") from None
    except (tomllib.TOMLDecodeError, RecursionError) as error:
        raise BadProject(f"{path}: not TOML: {str(error)[:200]}") from None
    return _Reader(path, data.decode("utf-8")).project(table)


class _Reader:
    def __init__(self, path: str, text: str) -> None:
        self.path = path
        self.lines = text.splitlines()

    def bad(self, where: str, message: str) -> BadProject:
        """An error about the key ``where``, with the line on which its last part stands where that can be found."""
        last = where.rsplit(".", 1)[-1]
        pattern = re.compile(rf'^\s*(\[.*)?"?{re.escape(last)}"?\s*([\].=]|$)')
        line = next((number for number, text in enumerate(self.lines, 1) if pattern.search(text)), None)
        place = f"{self.path}:{line}" if line else self.path
        return BadProject(f"{place}: {where}: {message}")

    def known(self, table: Mapping[str, Any], keys: Iterable[str], where: str) -> None:
        for key in table:
            if key not in set(keys):
                near = did_you_mean(key, sorted(keys))
                hint = f"did you mean {near}?" if near else f"known here: {', '.join(sorted(keys))}"
                raise self.bad(f"{where}{key}", f"unknown key; {hint}")

    def table(self, value: Any, where: str) -> Mapping[str, Any]:
        if not isinstance(value, dict):
            raise self.bad(where, "a table is expected here")
        return value

    def texts(self, value: Any, where: str) -> tuple[str, ...]:
        if not isinstance(value, list) or not all(isinstance(each, str) for each in value):
            raise self.bad(where, "a list of texts is expected here")
        return tuple(value)

    def project(self, table: Mapping[str, Any]) -> Project:
        readers: dict[str, Callable[[Any], Any]] = {
            "states": self.states,
            "thresholds": self.thresholds,
            "networks": self.networks,
            "people": self.people,
            "servers": self.servers,
            "profiles": self.profiles,
            "dialects": self.dialects,
        }
        lists: dict[str, Callable[[Any], Any]] = {
            "expect": lambda value: value,
            "waivers": self.waivers,
            "management": lambda value: self.texts(value, "management"),
            "locked-away": lambda value: self.texts(value, "locked-away"),
            "profile": lambda value: value,
        }
        self.known(table, [*readers, *lists], "")
        fields = {
            key.replace("-", "_"): lists[key](value) if key in lists else readers[key](self.table(value, key))
            for key, value in table.items()
        }
        states = fields.pop("states", {})
        expectations = fields.pop("expect", [])
        project = Project(file=self.path, **fields)
        if project.profile is not None and project.profile not in project.profiles:
            near = did_you_mean(str(project.profile), project.profiles)
            hint = f"did you mean {near}?" if near else f"one of {', '.join(project.profiles)} is expected"
            raise self.bad("profile", f"no profile is called so; {hint}")
        for name in project.management:
            if name not in project.networks:
                near = did_you_mean(name, project.networks)
                raise self.bad(
                    "management", f"no network is called {name}" + (f"; did you mean {near}?" if near else "")
                )
        project = project._replace(expectations=read_expectations(expectations, project, states, self.bad))
        places = {*project.networks, "console", "auxiliary"}
        for person in project.people.values():
            for place in person.sits:
                if place not in places:
                    near = did_you_mean(place, sorted(places))
                    hint = f"; did you mean {near}?" if near else ""
                    raise self.bad(f"people.{person.name}", f"no network is called {place}{hint}")
        return project

    def thresholds(self, table: Mapping[str, Any]) -> Thresholds:
        self.known(table, [each.key for each in THRESHOLDS], "thresholds.")
        fields: dict[str, int] = {}
        for each in THRESHOLDS:
            if each.key in table:
                try:
                    fields[each.field] = each.read(table[each.key])
                except ValueError as wrong:
                    raise self.bad(f"thresholds.{each.key}", str(wrong)) from None
        return Thresholds(**fields)

    def waivers(self, value: Any) -> tuple[Waiver, ...]:
        if not isinstance(value, list) or not all(isinstance(each, dict) for each in value):
            raise self.bad("waivers", "write each waiver under a head [[waivers]]")
        lines = [number for number, text in enumerate(self.lines, 1) if re.match(r"\s*\[\[\s*waivers\s*\]\]", text)]
        found = []
        for index, table in enumerate(value):
            self.known(table, ("rule", "devices", "reason", "until"), "waivers.")
            rule, reason, until = (table.get(key) for key in ("rule", "reason", "until"))
            for key, text in (("rule", rule), ("reason", reason)):
                if not isinstance(text, str) or not text.strip():
                    raise self.bad(f"waivers.{key}", "a waiver needs a rule, a reason and the day it ends")
            if type(until) is not datetime.date:
                raise self.bad("waivers.until", "the last day is expected, as in 2031-05-17, without quotes")
            devices = table.get("devices", ["*"])
            devices = self.texts([devices] if isinstance(devices, str) else devices, "waivers.devices")
            line = lines[index] if index < len(lines) else 0
            found.append(Waiver(str(rule), devices, str(reason), until, line))
        return tuple(found)

    def networks(self, table: Mapping[str, Any]) -> Mapping[str, Any]:
        networks = {}
        for name, value in table.items():
            where = f"networks.{name}"
            try:
                networks[name] = tuple(parse_prefix(text) for text in self.texts(value, where))
            except ValueError as wrong:
                raise self.bad(where, str(wrong)) from None
        return networks

    def people(self, table: Mapping[str, Any]) -> Mapping[str, Person]:
        people = {}
        for name, value in table.items():
            where = f"people.{name}"
            person = self.table(value, where)
            self.known(person, ("knows", "account", "sits"), f"{where}.")
            account = person.get("account")
            if account is not None and not isinstance(account, str):
                raise self.bad(f"{where}.account", "the name of an account is expected")
            knows = self.texts(person.get("knows", []), f"{where}.knows")
            people[name] = Person(name, knows, account, self.texts(person.get("sits", []), f"{where}.sits"))
        return people

    def states(self, table: Mapping[str, Any]) -> Mapping[str, frozenset[str]]:
        """Named states of the servers: the addresses of those that are down."""
        states = {}
        for name, value in table.items():
            try:
                states[name] = frozenset(str(parse_address(text)) for text in self.texts(value, f"states.{name}"))
            except ValueError as wrong:
                raise self.bad(f"states.{name}", str(wrong)) from None
        return states

    def servers(self, table: Mapping[str, Any]) -> Mapping[str, Any]:
        for group, accounts in table.items():
            for account, facts in self.table(accounts, f"servers.{group}").items():
                where = f"servers.{group}.{account}"
                self.known(self.table(facts, where), ("level",), f"{where}.")
                level = facts.get("level", 0)
                if not isinstance(level, int) or isinstance(level, bool) or not 0 <= level <= 15:
                    raise self.bad(f"{where}.level", "a level is a number from 0 to 15")
        return table

    def dialects(self, table: Mapping[str, Any]) -> Mapping[str, str]:
        for pattern, value in table.items():
            if not isinstance(value, str) or not value:
                raise self.bad(f"dialects.{pattern}", "the name of a dialect, or its file, is expected")
        return table

    def profiles(self, table: Mapping[str, Any]) -> Mapping[str, Profile]:
        profiles = dict(BUILTIN)
        for name, value in table.items():
            where = f"profiles.{name}"
            changes = dict(self.table(value, where))
            base = changes.pop("base", None)
            if name in BUILTIN:
                raise self.bad(where, "a built-in profile has this name; choose another")
            if not isinstance(base, str) or base not in profiles:
                near = did_you_mean(str(base), profiles) if base is not None else None
                hint = f"did you mean {near}?" if near else f"one of {', '.join(profiles)} is expected"
                raise self.bad(f"{where}.base", hint)
            texts = {key: text_of(each) for key, each in changes.items()}
            try:
                profiles[name] = derive(name, profiles[base], texts, KEYS)
            except BadProfile as wrong:
                raise self.bad(where, str(wrong)) from None
        return profiles
