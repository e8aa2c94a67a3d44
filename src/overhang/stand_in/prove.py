"""Proving predictions: each attempt is made by a real client at a device that stands in, and held against the decision.

No real password is typed: the device stands in with made-up secrets and keys, equal where the real ones are, and the
attempts are translated. What cannot be made by a client here is left out, with the reason.
"""

import asyncio
import contextlib
import socket
from collections import Counter
from collections.abc import Awaitable, Callable, Iterable, Sequence
from typing import Any, NamedTuple

import asyncssh

from overhang.exposure.credentials import CredentialIndex
from overhang.language import ParsedConfig
from overhang.model import Address, Configured, PublicKey
from overhang.model.vocabulary import PORTS
from overhang.project import Project
from overhang.simulation import Attempt, LockoutState, ResolvedDevice, Result, Step, decide
from overhang.simulation.reasons import Reason, Stage
from overhang.simulation.visit import Moment
from overhang.stand_in.clients import Errand, Seen, log_in
from overhang.stand_in.clock import SetClock
from overhang.stand_in.doors import Door, Handler, hold, raise_first, speak_telnet, watch
from overhang.stand_in.drive import Gone, no_servers
from overhang.stand_in.machine import Machine, Setting
from overhang.stand_in.made_up import MadeUp, secrets_of, with_keys
from overhang.stand_in.places import Place, Sources
from overhang.stand_in.ssh import host_keys_of, make_host_key
from overhang.stand_in.telnet import TelnetLine
from overhang.text import Origin

_SPOKEN = ("ssh", "telnet", "http", "https")
_OPENED = (Reason.RIGHT_PASSWORD, Reason.TIER_OPENED, Reason.TIER_TOO_LOW, Reason.SERVER_ACCEPTS)
#: Kinds of key that the library makes.
_KEYS = ("ssh-ed25519", "ssh-rsa", "ecdsa-sha2-nistp256", "ecdsa-sha2-nistp384", "ecdsa-sha2-nistp521")

#: So many addresses are listened on for one device.
_MOST_PLACES = 250

#: How an errand is done.
Client = Callable[[Errand, "socket.socket | None"], Awaitable[Seen]]


class Trial(NamedTuple):
    """One attempt to prove: its number in the file, and whether it forgets those before it."""

    number: int
    attempt: Attempt
    reset: bool = True


class Proof(NamedTuple):
    """One attempt: what was predicted, and what a client saw; ``left_out`` says why it was not made.

    ``asked``: it agrees with the prediction for what the client was asked, and the attempt states more than that.
    """

    trial: Trial
    device: str
    predicted: Result
    seen: Seen | None = None
    agrees: bool = False
    asked: bool = False
    left_out: str = ""


class Subject(NamedTuple):
    """A device whose predictions are proved, with the attempts at it, in their order."""

    config: ParsedConfig
    resolved: ResolvedDevice
    project: Project
    trials: Sequence[Trial]


class _Keys:
    """Made-up keys, one for each public key that a device or an attempt has."""

    def __init__(self) -> None:
        self._pairs: dict[tuple[str, bytes], Any] = {}

    def pair(self, key: PublicKey) -> Any:
        """The private key that stands for a public one; None where its kind cannot be made."""
        if key[:2] not in self._pairs:
            self._pairs[key[:2]] = asyncssh.generate_private_key(key.kind) if key.kind in _KEYS else None
        return self._pairs[key[:2]]

    def public(self, key: PublicKey) -> PublicKey:
        """The public half of what stands for a key; itself where its kind cannot be made."""
        pair = self.pair(key)
        return key if pair is None else key._replace(data=pair.public_data)


class Prover:
    """Proves the predictions for one device. ``host_keys`` caches what takes time to make."""

    def __init__(self, subject: Subject, client: Client = log_in, host_keys: dict[Any, Any] | None = None) -> None:
        self._subject, self._client = subject, client
        self._made = MadeUp(subject.config.device)
        self._keys = _Keys()
        self._sources = Sources()
        self._index: CredentialIndex | None = None
        self._peers: dict[Address | None, str] = {}
        self._clock = SetClock(Moment(subject.trials[0].attempt.moment, 0))
        device = with_keys(self._made.device(subject.config.device), self._keys.public)
        config = subject.config._replace(device=device)
        self._machine = Machine(config, subject.project, self._clock, limits=False, resolved=self._resolved(config))
        self._places = self._places_of(subject.trials)
        self._doors = {via: self._door(via, {} if host_keys is None else host_keys) for via in _SPOKEN}

    def _resolved(self, config: ParsedConfig) -> ResolvedDevice:
        """The device with made-up secrets, under the profiles of the real one."""
        return self._subject.resolved.with_device(config.device)

    def _places_of(self, trials: Iterable[Trial]) -> dict[Address | None, Place]:
        wanted = dict.fromkeys((None, *(each.attempt.destination for each in trials)))
        return {own: Place(f"127.0.0.{number}", own) for number, own in enumerate(list(wanted)[:_MOST_PLACES], 1)}

    def _door(self, via: str, host_keys: dict[Any, Any]) -> Door:
        handler: Handler = speak_telnet
        if via == "ssh":
            from overhang.stand_in.ssh import SpeakSsh

            kinds, _ = host_keys_of(self._machine.config.device)
            for kind in kinds:
                if kind not in host_keys:
                    host_keys[kind] = make_host_key(kind)
            handler = SpeakSsh(self._machine, [host_keys[kind] for kind in kinds])
        elif via in ("http", "https"):
            from overhang.stand_in.web import SpeakWeb, tls_in_memory

            tls = None
            if via == "https":
                if "tls" not in host_keys:
                    host_keys["tls"] = tls_in_memory(self._machine.config.device, self._clock.now().when)
                tls = host_keys["tls"]
            handler = SpeakWeb(self._machine, tls)
        return Door(self._machine, via, list(self._places.values()), 0, self._sources, handler, no_servers)

    async def run(self, told: Callable[[Proof], None] = lambda proof: None) -> list[Proof]:  # noqa: ARG005
        """Make every attempt, one after another."""
        found = []
        problems: list[BaseException] = []
        watch(problems)
        try:
            for door in self._doors.values():
                door.settle()
                door.take_port()
            states = [LockoutState()]
            for trial in self._subject.trials:
                states = [LockoutState()] if trial.reset else states
                trial = trial._replace(attempt=self._knowing(trial.attempt))
                decided = decide(self._subject.resolved, trial.attempt, states)
                proof = await self._prove(trial, decided.result, states)
                states = decided.lockout_states
                found.append(proof)
                told(proof)
        finally:
            await asyncio.gather(*(door.close() for door in self._doors.values()))
        raise_first(self._doors.values())
        for problem in problems:
            raise problem
        return found

    def _knowing(self, attempt: Attempt) -> Attempt:
        """The attempt with every item that the person knows under another name: what is typed opens them all."""
        if not attempt.knows:
            return attempt
        if self._index is None:
            self._index = CredentialIndex.of(self._subject.resolved)
        numbers = {self._index.number(item) for item in attempt.knows if self._index.has(item)}
        names = {name for number in numbers for name in self._index.names[number]}
        return attempt._replace(knows=attempt.knows | names)

    async def _prove(self, trial: Trial, predicted: Result, states: list[LockoutState]) -> Proof:
        attempt, name = trial.attempt, self._machine.name
        why = self._cannot(attempt, predicted)
        if trial.reset:
            self._machine.states = [LockoutState()]
        if why:
            self._machine.states = decide(self._machine.resolved, attempt, self._machine.states).lockout_states
            return Proof(trial, name, predicted, left_out=why)
        self._set(attempt)
        seen = await self._make(self._errand(attempt, predicted))
        await self._settled()
        if _agree(predicted, seen):
            return Proof(trial, name, predicted, seen, agrees=True)
        shorter = _as_asked(attempt, seen)
        if shorter is not None:
            less = decide(self._subject.resolved, shorter, states)
            if _agree(less.result, seen):
                return Proof(trial, name, less.result, seen, agrees=True, asked=True)
        return Proof(trial, name, predicted, seen)

    def _cannot(self, attempt: Attempt, predicted: Result) -> str:
        """Why no client here can make an attempt; "" where one can."""
        if attempt.via not in (*_SPOKEN, *PORTS):
            return f"{attempt.via} is not spoken"
        if attempt.destination not in self._places:
            return f"there are more than {_MOST_PLACES} addresses to connect to"
        if attempt.via == "ssh" and 2 not in attempt.ssh_versions:
            return "SSH version 1 is not spoken"
        if attempt.via == "ssh" and any(
            step.code is Reason.VERSION_AGREED and step.arguments == (1,) for step in predicted.trace
        ):
            return "SSH version 1 is not spoken"
        if attempt.via == "ssh" and not attempt.name:
            return "an SSH client gives a name"
        keys = [*attempt.keys, *(each.authority for each in attempt.certificates)]
        keys += [said.value for name in attempt.knows for said in self._known_keys(name)]
        if any(self._keys.pair(each) is None for each in keys):
            return "a key of this kind cannot be made"
        if attempt.algorithms and (set(attempt.algorithms) - {"exchanges", "ciphers", "macs"} or self._odd(attempt)):
            return "these algorithms cannot be spoken"
        if predicted.outcome == "admitted" and None in (predicted.after_login, predicted.level):
            return "its level cannot be told"
        if any(step.code is Reason.UNSURE_ALGORITHM for step in predicted.trace):
            return "the device does not say what it speaks"
        if predicted.outcome == "unknown" and attempt.servers is None and self._machine.config.device.groups:
            return "what the servers hold is not known"
        texts = (*attempt.passwords, *attempt.elevate_passwords, attempt.name or "", attempt.elevate_name or "")
        if any(not text.isprintable() for text in texts):
            return "it types what no keyboard does"
        if any(stated.form.value in ("opaque", "withheld", "masked-elsewhere") for stated in self._doubtful()) and (
            "unknown" in (predicted.outcome, predicted.elevation)
        ):
            return "the prediction is in doubt for a stored form that nobody can compare, and here it is made up"
        return ""

    def _doubtful(self) -> list[Any]:
        return [stored for _, stored in secrets_of(self._subject.config.device)]

    def _odd(self, attempt: Attempt) -> bool:
        """Whether the device or the client states an algorithm that the library does not have."""
        from overhang.stand_in.ssh import algorithms_of, known_algorithms

        known = known_algorithms()
        spoken = attempt.algorithms or {}
        odd = any(set(names) - known[kind] for kind, names in spoken.items())
        return odd or bool(algorithms_of(self._machine.config.device).notes)

    def _set(self, attempt: Attempt) -> None:
        """Let the world around the device be as the attempt says."""
        self._clock.moment = Moment(attempt.moment, attempt.at)
        servers = attempt.servers
        known = [name for name in attempt.knows if name.startswith("server:")]
        if known or servers is not None:
            held: dict[str, dict[str, Any]] = {
                group: {name: dict(account) for name, account in accounts.items()}
                for group, accounts in (servers or {}).items()
            }
            for item in known:
                group, _, name = item.removeprefix("server:").partition("/")
                account = held.setdefault(group, {}).setdefault(name, {})
                account.setdefault("password", _server_text(item))
            servers = held
        self._machine.setting = Setting(attempt.busy, attempt.down, servers, attempt.ssh_versions)

    def _peer(self, source: Address | None) -> str:
        if source not in self._peers:
            number = len(self._peers)
            self._peers[source] = f"127.1.{number // 200}.{number % 200 + 1}"
            self._sources.let(self._peers[source], source)
        return self._peers[source]

    # -- what the client has -----------------------------------------------------------------------------------------

    def _errand(self, attempt: Attempt, predicted: Result) -> Errand:
        device = self._subject.config.device
        if attempt.via in PORTS:
            address, port, peer = "", 0, ""
        else:
            address, port = self._places[attempt.destination].here, self._doors[attempt.via].port
            peer = self._peer(attempt.source)
        known = self._known_text(attempt, predicted, Stage.AUTHENTICATION)
        lifting = self._known_text(attempt, predicted, Stage.ELEVATION)
        texts = [self._made.text_for(device, text) for text in attempt.passwords]
        elevate = [self._made.text_for(device, text) for text in attempt.elevate_passwords]
        return Errand(
            attempt.via,
            address,
            port,
            peer,
            attempt.name,
            tuple(_with(texts, known)),
            tuple(self._client_keys(attempt)),
            attempt.elevate,
            attempt.elevate_name,
            tuple(_with(elevate, lifting)),
            attempt.algorithms,
        )

    def _known_text(self, attempt: Attempt, predicted: Result, stage: Stage) -> tuple[int, str] | None:
        """What somebody types who knows the item that the prediction says opens, and at which of their answers."""
        asked = 0
        for step in predicted.trace:
            if step.stage is not stage:
                continue
            asked += step.asked == "password" or step.code in (Reason.WRONG_PASSWORD, Reason.TIERS_UNOPENED)
            if step.code in _OPENED:
                text = self._text_behind(attempt, step)
                if text is not None:
                    wrong = sum(
                        each.stage is stage and each.code in (Reason.WRONG_PASSWORD, Reason.TIERS_UNOPENED)
                        for each in predicted.trace
                    )
                    return wrong, text
        return None

    def _text_behind(self, attempt: Attempt, step: Step) -> str | None:
        if step.code is Reason.SERVER_ACCEPTS:
            name = attempt.elevate_name if step.stage is Stage.ELEVATION and attempt.elevate_name else attempt.name
            item = f"server:{step.arguments[0]}/{name}"
            held = ((self._machine.setting.servers or {}).get(str(step.arguments[0]), {}).get(name or "")) or {}
            return str(held.get("password", "")) if item in attempt.knows else None
        if not attempt.knows or not isinstance(step.origin, Origin):
            return None
        for origin, stored in secrets_of(self._subject.config.device):
            if origin == step.origin:
                return self._made.text_of(stored, origin)
        return None

    def _known_keys(self, item: str) -> tuple[Configured[PublicKey], ...]:
        resolved = self._subject.resolved
        for account in resolved.accounts:
            for name, keys in resolved.key_items(account):
                if name == item:
                    return keys
        return ()

    def _client_keys(self, attempt: Attempt) -> list[Any]:
        resolved, found = self._subject.resolved, []
        for item in sorted(attempt.knows):
            found += [self._keys.pair(said.value) for said in self._known_keys(item)]
        certified = [(each.authority, sorted(each.names)) for each in attempt.certificates]
        for account in resolved.accounts:
            for item, (authority,) in resolved.certificate_items(account):
                if item in attempt.knows:
                    certified.append((authority.value, [account.name]))
        for authority_key, names in certified:
            key = asyncssh.generate_private_key("ssh-ed25519")
            made = self._keys.pair(authority_key).generate_user_certificate(key, "made up", principals=names)
            found.append((key, made))
        return found + [self._keys.pair(each) for each in attempt.keys]

    # -- making it ---------------------------------------------------------------------------------------------------

    async def _make(self, errand: Errand) -> Seen:
        if errand.via not in PORTS:
            return await self._client(errand, None)
        ours, theirs = socket.socketpair()
        sitting = asyncio.create_task(self._sit(errand.via, ours))
        try:
            return await self._client(errand, theirs)
        finally:
            theirs.close()
            await sitting

    async def _sit(self, port: str, connection: socket.socket) -> None:
        machine = self._machine
        reader, writer = await asyncio.open_connection(sock=connection)
        seat = machine.open(port, "a local line", None, None)
        seat.hang_up = writer.close
        line = TelnetLine(reader, writer)
        seat.visit.arrive()
        try:
            if seat.visit.outcome != "refused":
                await hold(machine, seat, line, lambda seconds: None, no_servers)  # noqa: ARG005
        except (Gone, OSError):
            pass
        finally:
            machine.close(seat)
            writer.close()
            with contextlib.suppress(OSError):
                await writer.wait_closed()

    async def _settled(self) -> None:
        """Wait until the device has seen that the client has left."""
        for _ in range(500):
            if not self._machine.seats:
                return
            await asyncio.sleep(0.002 if _ < 100 else 0.01)
        for seat in list(self._machine.seats.values()):
            seat.hang_up()
            self._machine.close(seat)


def _with(texts: list[str], known: tuple[int, str] | None) -> list[str]:
    """The texts to type, with the one that is known where it is asked for."""
    if known is None:
        return texts
    at, text = known
    return [*texts[:at], text]


def _server_text(item: str) -> str:
    return f"known-{item}"


def _agree(predicted: Result, seen: Seen) -> bool:
    same = predicted.outcome == seen.outcome
    if predicted.outcome == "admitted":
        same = same and predicted.level == seen.level and predicted.elevation == seen.elevation
    return same


def _as_asked(attempt: Attempt, seen: Seen) -> Attempt | None:
    """The attempt with only what the client was asked for; None where that was all of it."""
    shorter = attempt._replace(
        name=attempt.name if seen.named or attempt.via == "ssh" else None,
        passwords=attempt.passwords[: seen.typed],
        elevate_passwords=attempt.elevate_passwords[: seen.elevate_typed],
    )
    return None if shorter == attempt else shorter


class Tally(NamedTuple):
    """How many attempts of each kind there were."""

    agree: Counter[tuple[str, str]]
    disagree: Counter[tuple[str, str]]
    left_out: Counter[str]


def tally(proofs: Iterable[Proof]) -> Tally:
    """The attempts counted, by way and predicted outcome."""
    found = Tally(Counter(), Counter(), Counter())
    for each in proofs:
        key = each.trial.attempt.via, each.predicted.outcome
        if each.seen is None:
            found.left_out[each.left_out] += 1
        elif each.agrees:
            found.agree[key] += 1
        else:
            found.disagree[key] += 1
    return found
