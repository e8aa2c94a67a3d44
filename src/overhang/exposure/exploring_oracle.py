"""The oracle that explores: it gives every answer to every question, and keeps what each answer needs.

A run with this oracle ends with a set of sources, a set of server states, and the items that the person used.
The decision's code is the same that answers for one person.
"""

from collections.abc import Hashable, Iterable, Sequence
from typing import Any, NamedTuple

from overhang.exposure.address_classes import AddressClasses
from overhang.exposure.credentials import CredentialIndex
from overhang.model import Address, Configured, Hours, PublicKey
from overhang.model.stored_secret import Form
from overhang.simulation.oracle import Oracle, ServerAnswer
from overhang.simulation.reasons import Reason, Stage
from overhang.simulation.result import FromAttempt, Provenance, Step
from overhang.simulation.source_lists import ResolvedSourceList
from overhang.simulation.views import Credential, ResolvedEntry


class UnknownFact(NamedTuple):
    """Something that is not known and that a path depends on: the line or key that would settle it, and what it is
    about.
    """

    origin: Provenance
    code: Reason
    about: str


#: Reasons whose first argument says what is not known.
_ABOUT = (Reason.UNSURE_UNREAD, Reason.UNSURE_UNSAID, Reason.UNSURE_PROFILE)
_QUESTION = Step(Stage.AUTHENTICATION, Reason.EITHER, FromAttempt("knows"))
_SOMETHING = "something that opens nothing"

#: A name that no account has.
NOBODY = "\0nobody"


class ExplorationContext:
    """What holds for all explorations of a device: its sources, its servers' states, its items of knowledge.

    ``states`` lists the sets of servers that are down, and ``times`` the times of day that hold then; a set of states
    is an integer with a bit for each.
    """

    def __init__(
        self,
        address_classes: AddressClasses,
        states: list[frozenset[str]],
        times: list[frozenset[Hours]],
        credentials: CredentialIndex,
        held: Any,
    ) -> None:
        self.address_classes = address_classes
        self.states = states
        self.times = times
        self.credentials = credentials
        self.held = held
        #: the numbers of the communities by what a login may offer: nothing that is one, or a text that some have
        by_text = {
            number: [int(name.partition(":")[2]) for name in names if name.startswith("community:")]
            for number, names in enumerate(credentials.names)
        }
        known = [  # the maker's own, which any text stands for
            each
            for number, own in by_text.items()
            for each in own
            if any(stored is not None and stored.form is Form.FACTORY for stored in credentials.stored[number])
        ]
        self.communities: dict[int | None, tuple[int, ...]] = {None: tuple(known)}
        self.communities |= {number: tuple(sorted({*own, *known})) for number, own in by_text.items() if own}
        self.offers = tuple(self.communities)
        self.any_state = (1 << len(states)) - 1
        every = frozenset().union(*states)
        self._up = {
            address: sum(1 << index for index, down in enumerate(states) if address not in down) for address in every
        }

    def during(self, hours: Hours) -> int | None:
        """The states in which a time of day holds; None where there are too many times to tell apart."""
        held = sum(1 << index for index, each in enumerate(self.times) if hours in each)
        return held or None

    def up(self, address: str) -> int:
        """The states in which a server is up."""
        return self._up.get(address, self.any_state)


class ExploringOracle(Oracle):
    """Answers every way. After a run, ``sources``, ``states``, ``needs``, ``sure`` and ``unknowns`` tell what it took.

    ``placed`` is false at a port, where nobody comes from an address: a list that does not treat all alike is in doubt.
    ``elsewhere``: where no address of the device is given, it is one that no condition names. ``wanted`` is the level
    that an elevation asks for.
    """

    answers_once = True
    widest = True

    def __init__(
        self,
        around: ExplorationContext,
        lowest_free: int = 0,
        *,
        placed: bool = True,
        elsewhere: bool = False,
        wanted: int = 15,
    ) -> None:
        super().__init__()
        self._compared = (None, 0, wanted - 1, 15)
        self._elsewhere = elsewhere
        self._around = around
        self._placed = placed
        self._lowest_free = lowest_free
        self.restart()

    def restart(self) -> None:
        """Begin another run with the answers that ``advance`` left."""
        super().restart()
        self.sources = self._around.address_classes.everything
        self.states = self._around.any_state
        self.needs: set[int] = set()
        self._doubted: dict[int, Step] = {}

    def branch(self, question: Hashable, options: Sequence[Any], step: Step) -> Any:
        """As for any oracle; a question that is not the explorer's own is in doubt, and so is what depends on it."""
        if step is not _QUESTION:
            self._doubted[id(step)] = step
        return super().branch(question, options, step)

    @property
    def sure(self) -> bool:
        """Whether nothing that this run took is in doubt."""
        return not self._doubted

    @property
    def unknowns(self) -> frozenset[UnknownFact]:
        """What this run took that is in doubt."""
        return frozenset(
            [
                UnknownFact(step.origin, step.code, step.arguments[0] if step.code in _ABOUT else "")
                for step in self._doubted.values()
            ]
        )

    def _either(self, question: Hashable) -> bool:
        return bool(self.branch(question, (True, False), _QUESTION))

    def levels(self, options: Sequence[int | None], *, compared: bool) -> Sequence[int | None]:
        """The highest, since who gets that needs no lower one by the same means, and none, which something else may
        give; of those that are compared also the lowest, and the highest below the one that is asked for: the decision
        only asks whether a level is as high, or between the two ends."""
        wanted = self._compared if compared else (None, 15)
        return tuple(each for each in options if each in wanted)

    def offer(self, texts: tuple[str, ...], index: int) -> None:
        """Texts play no part: the person types something or nothing, as the question comes up."""

    def offers_text(self) -> str | None:
        return _SOMETHING if self._either("types") else None

    def _knows(self, item: str) -> bool:
        number = self._around.credentials.number(item)
        if self._either(("item", number)):
            self.needs.add(number)
            return True
        return False

    def opens(self, credential: Credential) -> bool:
        if credential.stored.form is Form.FACTORY:
            return True
        if credential.item.startswith("community:"):
            self.needs.add(self._around.credentials.number(credential.item))
            return True
        return credential.stored.form is not Form.NONE and self._knows(credential.item)

    def offered(self, count: int) -> Iterable[int]:
        """The one community that a login offers, by each number that has its text: each text in its turn, or none."""
        del count
        chosen = self.branch("community", self._around.offers, _QUESTION)
        return self._around.communities[chosen]

    def holds_key(self, item: str, keys: Sequence[Configured[PublicKey]]) -> PublicKey | bool:
        del keys
        return self._knows(item)

    def holds_certificate(self, item: str, authority: PublicKey, name: str) -> bool:
        del authority, name
        return self._knows(item)

    def goes_to(self, addresses: frozenset[str], destination: Address | None) -> bool:
        if destination is not None:
            return str(destination) in addresses
        if self._elsewhere:
            return False
        step = Step(Stage.REACHABILITY, Reason.UNSURE_DESTINATION, FromAttempt("to"))
        return bool(self.branch(("to", addresses), (True, False), step))

    def within(self, hours: Configured[Hours]) -> bool:
        held = self._around.during(hours.value)
        if held is None:
            step = Step(Stage.AUTHENTICATION, Reason.UNSURE_TIME, hours.origin)
            return bool(self.branch(("hours", hours.value), (True, False), step))
        found = self.states & held
        if found and found != self.states and not self._either(("hours", hours.value)):
            found = 0
        self.states = found or self.states & ~held
        return bool(found)

    def source_family(self) -> int:
        return 4 if self._split_sources("family", self._around.address_classes.family[4]) else 6

    def source_in(self, sources: ResolvedSourceList) -> tuple[bool, Provenance]:
        alike = None if self._placed else sources.alike()
        if alike is not None and alike[0] is not None:
            return alike[0], alike[1]
        if not self._placed:
            step = Step(Stage.REACHABILITY, Reason.UNSURE_SOURCE, FromAttempt("from"), (sources.name,))
            return bool(self.branch(("list", sources.name), (True, False), step)), FromAttempt("from")
        unsure = self._around.address_classes.unsure(sources)
        if unsure and self._split_sources(("unsure", sources.name), unsure):
            step = Step(Stage.REACHABILITY, Reason.UNSURE_UNREAD, sources.origin, (sources.name,))
            return bool(self.branch(("list", sources.name), (True, False), step)), sources.origin
        return self._split_sources(
            ("list", sources.name), self._around.address_classes.allowed(sources)
        ), sources.origin

    def _split_sources(self, question: Hashable, inside: int) -> bool:
        found = self.sources & inside
        if found and found != self.sources and not self._either(question):
            found = 0
        self.sources = found or self.sources & ~inside
        return bool(found)

    def is_up(self, address: str, group: str, name: str | None) -> bool:
        del group, name
        up = self._around.up(address)
        found = self.states & up
        if found and found != self.states and not self._either(("up", address)):
            found = 0
        self.states = found or self.states & ~up
        return bool(found)

    def free(self, vtys: list[ResolvedEntry]) -> list[ResolvedEntry]:
        return vtys[self._lowest_free :]

    def server_says(self, group: str, name: str | None) -> ServerAnswer:
        held = self._around.held
        level = None
        if name is None or name == NOBODY:
            return ServerAnswer(False)
        if held is not None:
            account = held.get(group, {}).get(name)
            if account is None:
                return ServerAnswer(False)
            level = account.get("level")
        return ServerAnswer(self._knows(f"server:{group}/{name}"), level)
