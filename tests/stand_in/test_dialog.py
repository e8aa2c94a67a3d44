"""What a person sees and types at a device, line by line; and the device behind it."""

import datetime
from collections.abc import Callable

import pytest

from overhang.language import read_sheet
from overhang.model import Address, parse_address
from overhang.project import Project
from overhang.simulation.visit import Moment
from overhang.stand_in.clock import Clock, SetClock
from overhang.stand_in.dialog import Ask, Consult, Say, Shell, log_in
from overhang.stand_in.events import Event
from overhang.stand_in.machine import Machine

START = Moment(datetime.datetime(2026, 11, 26, 9, tzinfo=datetime.UTC), 0)
SHEET = """\
device quay:
    domain tidewater.example
entry console:
    check users
    idle 5m
entry vty 0-1:
    check users
    accept telnet
telnet: on
user lena:
    password readable gull
    level 1
elevation 15: password readable tern
banner before-login:
    | Crew only.
banner after-login:
    | Mind the step.
"""


def machine_of(text: str, tell: Callable[[Event], None] = lambda event: None) -> Machine:
    return Machine(read_sheet(text, "quay.sheet"), Project(), SetClock(START), tell)


def sit(machine: Machine, typed: list[str | None], via: str = "console", source: Address | None = None) -> list[str]:
    """Everything that is shown to somebody who types this: prompts end in what was typed, secrets in dots."""
    seat = machine.open(via, "here", source, None)

    def whole():
        yield from log_in(seat.visit, machine.config.device)
        machine.report(seat)
        if seat.visit.outcome == "admitted":
            yield from Shell(seat.visit, machine.name, machine.desk(seat)).run()

    shown, answers, dialog = [], list(typed), whole()
    answer: str | None = None
    try:
        while True:
            effect = dialog.send(answer)
            assert not isinstance(effect, Consult)
            answer = None
            if isinstance(effect, Say):
                shown += effect.text.split("\n")
            elif isinstance(effect, Ask):
                answer = answers.pop(0)
                shown.append(effect.prompt + ("(nothing)" if answer is None else "..." if effect.secret else answer))
    except StopIteration:
        pass
    assert answers == []
    machine.close(seat)
    return shown


HELP = "help lists what can be done here, leave ends it."


def test_a_login_and_its_session_line_by_line() -> None:
    events: list[Event] = []
    machine = machine_of(SHEET, events.append)
    typed = ["lena", "kelp", "gull", "me", "others", "hoist", "change drop telnet", "elevate", "x", "tern", "leave"]
    assert sit(machine, typed) == [
        "Crew only.",
        "name: lena",
        "password: ...",
        "Not accepted. Try again.",
        "password: ...",
        "Mind the step.",
        HELP,
        "quay, level 1: me",
        "device quay",
        "name lena",
        "level 1",
        "way console",
        "quay, level 1: others",
        "nobody else",
        "quay, level 1: hoist",
        "hoist is none of: elevate, why, me, others, sheet, change, save, restart, leave, help",
        "quay, level 1: change drop telnet",
        "change needs level 15; this session has level 1",
        "quay, level 1: elevate",
        "password for level 15: ...",
        "Not accepted. Try again.",
        "password for level 15: ...",
        "You have level 15.",
        "quay, level 15: leave",
    ]
    assert [(each.what, each.outcome, each.level, each.name) for each in events] == [
        ("login", "admitted", 1, "lena"),
        ("elevation", "granted", 15, "lena"),
        ("leave", "", None, "lena"),
    ]


@pytest.mark.parametrize(
    ("changes", "typed", "last"),
    [
        ("", ["omar", "x", "x", None], "Login denied."),
        ("", ["lena", None], "Login denied."),
        ("entry console: closed\n", [], "No login is accepted here."),
        ("entry console:\n    check password\n", [], "Connection closed."),
        ("user lena: incomplete\n", ["lena", "gull"], None),
        ("device quay: profile nobody\n", ["lena", "gull"], None),
    ],
)
def test_how_a_login_ends(changes: str, typed: list[str | None], last: str | None) -> None:
    shown = sit(machine_of(SHEET + changes), typed)
    assert shown[-1] == last or (last is None and shown[-1].startswith("Can't tell"))


LENA = ["lena", "gull", "elevate", "tern"]


def test_a_change_holds_at_once_and_a_restart_takes_it_back() -> None:
    machine = machine_of(SHEET)
    before = machine.running
    changes = ["change", "user omar:", "  password readable kelp", "  level 15", "  levle 3", "banner before-login:"]
    shown = sit(machine, [*LENA, *changes, "  | One.", "  | Two.", "", "change telnet: off", "sheet", "leave"])
    assert "unknown statement" in shown
    assert "    password withheld" in shown
    assert not any("kelp" in line or "gull" in line for line in shown if not line.startswith("    ..."))
    assert (machine.resolved.services["telnet"].on.value, machine.saved) == ("off", before)
    assert sit(machine, ["omar", "kelp", "save", "leave"])[:3] == ["One.", "Two.", "name: omar"]
    assert machine.saved == machine.running != before
    assert read_sheet(machine.running, "r").device.facts.saved[-1].value[:2] == (START.when, "omar")
    sit(machine, ["omar", "kelp", "change drop user lena", "restart"])
    assert machine.running == machine.saved
    assert sit(machine, [*LENA, "leave"])[-1] == "quay, level 15: leave"


def test_vtys_are_taken_and_freed() -> None:
    machine = machine_of(SHEET + "entry vty 2-15: closed\n")
    seats = []
    for _ in range(3):
        seats.append(machine.open("telnet", "here", parse_address("192.0.2.9"), None))
        seats[-1].visit.arrive()
    assert [(each.visit.vty, each.visit.outcome) for each in seats] == [(0, "denied"), (1, "denied"), (None, "refused")]
    machine.close(seats[0])
    another = machine.open("telnet", "here", parse_address("192.0.2.9"), None)
    another.visit.arrive()
    assert another.visit.vty == 0
    assert machine.desk(another).others() == [
        "(not logged in yet), Telnet from 192.0.2.9, VTY 1, since 09:00:00",
        "(not logged in yet), Telnet from 192.0.2.9, no VTY, since 09:00:00",
    ]


def test_a_lock_ends_when_the_clock_says_so() -> None:
    machine = machine_of(SHEET + "passwords: lock 60s after 2\n")
    clock = machine.clock
    assert isinstance(clock, SetClock)
    assert sit(machine, ["lena", "x", "x", "gull"])[-1] == "Login denied."
    clock.moment = Moment(START.when, 61)
    assert "quay, level 1: leave" in sit(machine, ["lena", "gull", "leave"])


def test_limits_and_idle_sessions() -> None:
    machine = machine_of(SHEET + "ssh:\n    rate 2\n    sessions 1\n    idle 30s\n")
    assert [machine.limit("ssh") for _ in range(3)] == ["", "", "more than 2 connections within a minute"]
    seat = machine.open("console", "here", None, None)
    seat.visit.arrive()
    assert machine.idle(seat) == 300
    machine.clock.moment = Moment(START.when, 61)  # type: ignore[attr-defined]
    machine.open("ssh", "here", None, None)
    assert machine.limit("ssh") == "1 sessions are there already"


def test_a_clock_runs_faster_and_does_not_jump() -> None:
    ticks = iter((10.0, 12.0, 12.5))
    clock = Clock(START.when, 60, lambda: next(ticks))
    assert [clock.now().at, clock.now().at, clock.real(120)] == [120, 150, 2]
