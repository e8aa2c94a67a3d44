"""A login as it is lived, on a terminal: what the device asks, one question after another, then a small shell."""

import getpass
import sys

from overhang.cli.terminal import show
from overhang.language import ParsedConfig
from overhang.model.vocabulary import PORTS
from overhang.simulation import Attempt, ResolvedDevice
from overhang.simulation.visit import Stopped, Visit
from overhang.stand_in.dialog import Ask, Dialog, Say, Shell, elevate, log_in


def choose_way(resolved: ResolvedDevice) -> str | None:
    """Ask by which of a device's ways to log in; None where nothing is chosen."""
    ways = [via for via in PORTS if resolved.ports[via].closed is None]
    services = [via for via in resolved.services if via not in ways]
    ways += [via for via in services if resolved.services[via].on.value != "off"]
    if not ways:
        show([[(f"{resolved.device.name} accepts no login by any way", "")]])
        return None
    show([[(f"{number:>3}  {via}", "")] for number, via in enumerate(ways, 1)])
    while True:
        text = _line("way (a number): ")
        if not text:
            return None
        if text in ways or (text.isdecimal() and 1 <= int(text) <= len(ways)):
            return text if text in ways else ways[int(text) - 1]


def live_login(config: ParsedConfig, resolved: ResolvedDevice, attempt: Attempt) -> None:
    """Live through a login and its session."""
    if attempt.via == "ssh" and attempt.name is None:
        attempt = attempt._replace(name=_line("name (an SSH client always sends one): ") or None)
    visit = Visit(Stopped(resolved, attempt.moment), attempt._replace(elevate=None, elevate_name=None))
    drive(_whole(config, visit, attempt))


def _whole(config: ParsedConfig, visit: Visit, attempt: Attempt) -> Dialog[None]:
    yield from log_in(visit, config.device)
    if visit.outcome == "admitted" and attempt.elevate is not None:
        yield from elevate(visit, attempt.elevate, attempt.elevate_name)
    if visit.outcome == "admitted":
        yield from Shell(visit, config.device.name, leave="quit").run()
    else:
        yield from Shell(visit, config.device.name).why()


def drive(dialog: Dialog[None]) -> None:
    """Hold a dialog with the person at this terminal."""
    answer: str | None = None
    while True:
        try:
            effect = dialog.send(answer)
        except StopIteration:
            return
        answer = None
        if isinstance(effect, Say):
            show([[(line, "")] for line in effect.text.split("\n")])
        elif isinstance(effect, Ask):
            answer = _secret(effect.prompt) if effect.secret else _line(effect.prompt)


def _line(prompt: str) -> str | None:
    try:
        return input(prompt)
    except EOFError:
        sys.stdout.write("\n")
        return None


def _secret(prompt: str) -> str | None:
    try:
        return getpass.getpass(prompt)
    except EOFError:
        sys.stdout.write("\n")
        return None
