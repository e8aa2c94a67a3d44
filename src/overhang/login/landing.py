"""Section three of the decision: the level at which a login lands."""

from overhang.login import words
from overhang.login.desk import Answer
from overhang.login.result import Because, Fact
from overhang.login.run import Run
from overhang.login.setting import PORTS, Account, Place

Level = tuple[int, Because]


def land(run: Run, place: Place, answer: Answer, *, through_list: bool) -> int:
    """The level, and the steps that tell where it comes from."""
    if answer.fixed is not None:
        sentence = words.LANDS_COMMUNITY if place.via == "snmp" else words.LANDS_UNSAID
        if place.entry is None and place.via != "snmp":
            sentence = words.LANDS_WEB
        run.note(words.LANDING, sentence, answer.origin, answer.fixed)
        return answer.fixed
    if place.via.startswith("door:") and place.service is not None and place.service.level is not None:
        return _place_level(run, place)[0]  # a door's own level goes before that of who let the person in
    where = "users" if answer.account is not None else "servers" if answer.group is not None else ""
    if where and (not through_list or _carries(run, place, where, answer.group)):
        if answer.server_level is not None:
            run.note(words.LANDING, words.LANDS_SERVER, answer.origin, answer.server_level)
            return answer.server_level
        level = _own_level(run, answer.account)
        if level is not None:
            return level[0]
    return _place_level(run, place)[0]


def level_of_account(run: Run, place: Place, account: Account) -> Level:
    """The level that an account has, by itself or by the place: the steps taken to find it are not told."""
    told = len(run.steps)
    level = _own_level(run, account) or _place_level(run, place)
    del run.steps[told:]
    return level


def _own_level(run: Run, account: Account | None) -> Level | None:
    """The level of an account, or for a server's (None) what an account without one has; None: go on."""
    if account is not None and account.level is not None:
        value = run.settle_level(account.level, f"the level of account {account.name}")
        if value is not None:
            sentence = words.LANDS_ROLE if account.by_role else words.LANDS_ACCOUNT
            run.note(words.LANDING, sentence, account.level.origin, account.name, value)
            return value, account.level.origin
    fact = run.setting.facts["unsaid-account-level"]
    value = run.settle(fact, "unsaid-account-level")
    if value is None:
        return None
    run.note(words.LANDING, words.LANDS_UNSAID_ACCOUNT, fact.origin, value)
    return value, fact.origin


def _carries(run: Run, place: Place, where: str, group: str | None) -> bool:
    """Whether the level of an account or server counts after a login through a method list."""
    setting = run.setting
    if run.settle(setting.facts["lists-carry-level"], "lists-carry-level"):
        return True
    levels = setting.device.lists.get(("level", None))
    named = levels is not None and any(
        said.value.kind == where and (where == "users" or said.value.group == group) for said in levels.methods
    )
    if not named and levels is not None and run.maybe(levels.block, "whether levels may come from there"):
        named = True
    if place.via != "console":
        return named
    level = place.entry.level if place.entry is not None else None
    if (
        level is None
        and place.entry is not None
        and run.maybe(place.entry.block, "whether the console asks for levels")
    ):
        return named
    return named and level is not None and level.value == "asked"


def _place_level(run: Run, place: Place) -> Level:
    service, entry = place.service, place.entry
    if service is not None:
        if service.level is not None:
            run.note(words.LANDING, words.LANDS_SERVICE, service.level.origin, service.label, service.level.value)
            return service.level.value, service.level.origin
        if place.via not in ("http", "https", "snmp") and service.block.doubt is not None:
            value = run.choose((None, *range(16)), service.block.doubt, f"the level of a login by {service.label}")
            if value is not None:
                run.note(words.LANDING, words.LANDS_SERVICE, service.block.doubt, service.label, value)
                return value, service.block.doubt
    if entry is not None:
        label = entry.label if entry.number is not None else f"the {entry.label}"
        if entry.level is not None and isinstance(entry.level.value, int):
            run.note(words.LANDING, words.LANDS_ENTRY, entry.level.origin, label, entry.level.value)
            return entry.level.value, entry.level.origin
        if entry.level is None and entry.block.doubt is not None:
            value = run.choose((None, *range(16)), entry.block.doubt, f"the level of a login at {label}")
            if value is not None:
                run.note(words.LANDING, words.LANDS_ENTRY, entry.block.doubt, label, value)
                return value, entry.block.doubt
    key = "unsaid-level-console" if place.via in PORTS else "unsaid-level"
    fact: Fact = run.setting.facts[key]
    value = int(run.settle(fact, key))
    run.note(words.LANDING, words.LANDS_UNSAID, fact.origin, value)
    return value, fact.origin
