"""Looking for a login that shows an access path: the one search that expectations and the audit share."""

import datetime
from collections.abc import Callable, Iterable, Iterator, Mapping
from functools import partial
from itertools import product
from typing import Any

from overhang.exposure.explore import ANYBODY
from overhang.exposure.paths import ELSEWHERE, UNKNOWN_ADDRESS, AccessPath, AccessPaths
from overhang.exposure.work import Work
from overhang.model import Address, parse_address
from overhang.model.items import named_in
from overhang.simulation import Attempt, ResolvedDevice, Result, decide

#: Texts that may be typed where what is asked for is known, or asked for in vain.
_TYPED: tuple[tuple[str, ...], ...] = ((), ("anything",))

#: Where addresses begin that stand for any other of a device: 203.0.113.1 and 2001:db8::1 (RFC 5737, RFC 3849).
_OF_NOBODY = {4: 0xCB007101, 6: (0x20010DB8 << 96) + 1}


class Witness:
    """Tries logins on one device. ``servers`` are the accounts of the AAA servers.

    ``most_runs`` bounds one login, ``work`` all of them together.
    """

    def __init__(
        self,
        resolved: ResolvedDevice,
        exposure: AccessPaths,
        moment: datetime.datetime,
        servers: Mapping[str, Any] | None,
        most_runs: int | None = None,
        work: Work | None = None,
    ) -> None:
        self._work = Work(resolved) if work is None else work
        self._resolved = resolved
        self._exposure = exposure
        self._moment = moment
        self._servers = servers
        self._by_address = any(each.addresses is not None for each in resolved.conditions.values())
        self._decide = decide if most_runs is None else partial(decide, most_runs=most_runs)

    def find(
        self,
        path: AccessPath,
        source: Address | None,
        down: frozenset[str],
        busy: Iterable[frozenset[int]],
        shows: Callable[[Result], bool],
        elevate: int | None = None,
    ) -> tuple[Attempt, Result] | None:
        """The first login by a path, from ``source`` with servers ``down``, that ``shows`` what is looked for.

        Whoever tries knows what the path needs; every name and every choice of ``busy`` VTYs that could matter is
        tried.
        """
        knows = self._exposure.names_of(path)
        wanted = elevate or (path.level if path.level > path.after_login else None)
        to = self._destination(path, source) if self._by_address else None
        during = self._exposure.time_of(path, down)
        as_others = [None, *self._held_names(knows)] if wanted is not None else [None]
        levels = [wanted]
        if wanted is not None and elevate is None and self._resolved.facts["bare-elevation-level"].value is not None:
            # whoever asks for a level without a password may get another one
            levels += [each for each in range(15, 0, -1) if each not in self._resolved.elevations and each != wanted][
                :1
            ]
        for taken, elevate_name, level in product(busy, as_others, levels):
            for name, typed in product(self._names(knows), _TYPED):
                attempt = Attempt(
                    path.via,
                    self._moment,
                    source,
                    to,
                    name=name,
                    passwords=typed,
                    knows=knows,
                    elevate=level,
                    elevate_name=elevate_name,
                    elevate_passwords=typed,
                    ssh_versions=(1, 2),
                    busy=taken,
                    down=down,
                    servers=self._servers,
                    during=during,
                )
                decided = self._decide(self._resolved, attempt)
                if shows(decided.result):
                    return attempt, decided.result
                self._work.spend(decided.runs * self._work.a_login)
                if self._work.done:
                    return None
        return None

    def _destination(self, path: AccessPath, source: Address | None) -> Address | None:
        """An address of the device at which a path is open; where any will do that no condition names, one of those."""
        stated = next((each for each in path.to or () if each not in (ELSEWHERE, UNKNOWN_ADDRESS)), None)
        if stated is not None or ELSEWHERE not in (path.to or (ELSEWHERE,)):
            return parse_address(stated) if stated is not None else None
        held = self._resolved.conditions.values()
        named = {text for each in held if each.addresses is not None for text in each.addresses.value}
        family = 4 if source is None else source.family
        addresses = (Address(family, _OF_NOBODY[family] + number) for number in range(len(named) + 1))
        return next(each for each in addresses if str(each) not in named)

    def _names(self, knows: frozenset[str]) -> Iterator[str | None]:
        """Names that somebody with ``knows`` would give: those of its items first, then none, anybody's, all others.

        Each comes once; nearly always one of the first will do, so the rest is not even looked up before.
        """
        given = set[str | None]()
        for name in self._every_name(knows):
            if name not in given:
                given.add(name)
                yield name

    @staticmethod
    def _held_names(knows: frozenset[str]) -> Iterator[str]:
        """The usernames that items of knowledge belong to."""
        for item in sorted(knows):
            kind, name, _ = named_in(item)
            if kind in ("user", "key", "certificate"):
                yield name
            elif kind == "server":
                yield item.partition("/")[2]

    def _every_name(self, knows: frozenset[str]) -> Iterator[str | None]:
        yield from self._held_names(knows)
        yield from (None, "somebody", ANYBODY)
        for each in self._resolved.conditions.values():
            yield from each.accounts.value if each.accounts is not None else ()
        yield from (account.name for account in self._resolved.accounts)
        yield from (name for accounts in (self._servers or {}).values() for name in accounts)
