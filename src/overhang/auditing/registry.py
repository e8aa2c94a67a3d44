"""Declaring rules, finding them, and running them on a device.

A rule is one function in ``rules/``, declared by ``@rule("id")`` of its topic, and one page of the same name. Both are
found, not listed. Where several report one fault the others are folded into the first; ``after`` names the rules that
go first.
"""

import importlib
import os
from collections.abc import Callable, Iterable, Iterator, Sequence
from functools import cache
from graphlib import TopologicalSorter
from typing import Any, NamedTuple

from overhang.auditing import rules as rules_package
from overhang.auditing.context import RuleContext
from overhang.auditing.findings import Finding
from overhang.auditing.wording import counted, listed
from overhang.exposure.work import TooMuchWork

Check = Callable[[RuleContext], Iterator[Finding]]
FleetCheck = Callable[[Any], Iterator[Any]]


class Rule(NamedTuple):
    """One rule: its name, the topic that it is listed under, and what checks it.

    ``after`` are the rules that go before it; one that is ``first`` goes before all others. ``fleet`` checks the
    devices of a run together, and then ``check`` is None.
    """

    name: str
    topic: str
    check: Check | None
    after: tuple[str, ...] = ()
    first: bool = False
    fleet: FleetCheck | None = None


class Topic:
    """A topic of rules; ``order`` is its place in the list of topics. Calling it declares a rule."""

    def __init__(self, title: str, order: int) -> None:
        self.title, self.order = title, order
        self.rules: list[Rule] = []

    def __call__(self, name: str, *, after: str = "", first: bool = False) -> Callable[[Check], Check]:
        """Declare the function below as a rule on one device; ``after`` are names with blanks between."""

        def declare(check: Check) -> Check:
            self.rules.append(Rule(name, self.title, check, tuple(after.split()), first))
            return check

        return declare

    def fleet(
        self, name: str, *, after: str = ""
    ) -> Callable[[Callable[[Any], Iterator[Any]]], Callable[[Any], Iterator[Any]]]:
        """Declare the function below as a rule on the devices of a run together; those that come after others last."""

        def declare(check: FleetCheck) -> FleetCheck:
            self.rules.append(Rule(name, self.title, None, tuple(after.split()), fleet=check))
            return check

        return declare


@cache
def all_topics() -> tuple[Topic, ...]:
    """Every topic, in order: each a module of ``rules/`` that holds one under the name ``rule``."""
    found = []
    files = sorted(file for folder in rules_package.__path__ for file in os.listdir(folder))
    for name in (file.removesuffix(".py") for file in files if file.endswith(".py") and file != "__init__.py"):
        topic = getattr(importlib.import_module(f"overhang.auditing.rules.{name}"), "rule", None)
        if isinstance(topic, Topic) and topic not in found:  # two modules may hold the rules of one
            found.append(topic)
    return tuple(sorted(found, key=lambda topic: topic.order))


@cache
def all_rules() -> tuple[Rule, ...]:
    """Every rule, by topic and in the order of its module."""
    return tuple(rule for topic in all_topics() for rule in topic.rules)


@cache
def device_rules() -> tuple[Rule, ...]:
    """The rules on one device, in the order in which they run. Raises CycleError where that is a circle."""
    own = {rule.name: rule for rule in all_rules() if rule.check is not None}
    sorter: TopologicalSorter[str] = TopologicalSorter()
    for rule in own.values():
        sorter.add(rule.name, *rule.after)
    sorter.prepare()
    order: list[str] = []
    places = {rule.name: (not rule.first, place) for place, rule in enumerate(own.values())}
    ready: list[str] = []
    while sorter.is_active():
        ready = sorted([*ready, *sorter.get_ready()], key=places.__getitem__)
        name = ready.pop(0)
        order.append(name)
        sorter.done(name)
    return tuple(own[name] for name in order)


def run_rules(context: RuleContext, rules: Sequence[Rule] | None = None) -> list[Finding]:
    """Everything that the rules find on a device, in the order of the rules; ``fold`` puts together what is one.

    A rule that takes more steps than there are is noted as not examined, and what it found before is kept.
    """
    found: list[Finding] = []
    given_up: list[str] = []
    for rule in device_rules() if rules is None else rules:
        if rule.check is None:
            continue
        try:
            for finding in rule.check(context):
                found.append(finding._replace(rule=rule.name))
                context.spend(2 + 3 * len(finding.fix) + len(finding.lines) + len(finding.opens) // 4)
        except TooMuchWork:
            given_up.append(rule.name)
    if given_up:
        what = f"what {counted(len(given_up), 'rule')} would find ({listed(given_up)})"
        context.given_up = True
        context.not_examined.append((what, f"it takes more than {context.steps:,} steps to find out"))
    return found


def rule_names(rules: Iterable[Rule] | None = None) -> list[str]:
    """The names of rules."""
    return [rule.name for rule in (all_rules() if rules is None else rules)]
