"""How far secrets go: against a brute force of logins over generated networks, and on small networks read by hand."""

import random
from itertools import combinations

from overhang.api import LoadedDevice, audit
from overhang.auditing import Severity
from overhang.auditing.report import AuditReport
from overhang.exposure import AccessPaths
from overhang.language import read_sheet
from overhang.model import Address, parse_address
from overhang.model.masking import mask
from overhang.model.stored_secret import StoredSecret
from overhang.model.verification import hash_text, opens, plain_text
from overhang.model.vocabulary import PORTS
from overhang.profiles import BUILTIN
from overhang.project import Project, Thresholds
from overhang.spread.cut import Fix, cut_of, plan_of, targets_of
from overhang.spread.ranking import rank_secrets
from overhang.spread.reach import DEFAULTS, START, Limits, chain_of, spread_from
from overhang.spread.start import Start
from overhang.spread.world import READS, SHELLS, World, build_world
from tests.support.generator import NOW, PASSWORDS, SOURCES, WAYS, BruteForce, Made

#: An address that no condition names.
ELSE = "203.0.113.77"


def world_of(devices: list[Made]) -> World:
    configs = []
    for number, made in enumerate(devices):
        config = read_sheet(made.text, f"d{number}.sheet")._replace(profiles={made.profile.name: made.profile})
        project = Project(servers=made.held, profiles={**BUILTIN, made.profile.name: made.profile})
        configs.append((config, project))
    return build_world(configs, NOW, guess=1_000_000)


def identity(stored: StoredSecret | None, alone: object) -> object:
    """What a stored password is, found by trying every password there is."""
    if stored is None:
        return alone
    plain = plain_text(stored)
    if plain:
        return "word", plain
    word = next((each for each in PASSWORDS if opens(stored, each, most=None)), None)
    if word is not None and plain is None and stored.form.value == "hashed":
        return "word", word
    return (stored.form.value, stored.text) if stored.form.value == "masked-elsewhere" else alone


class Tried:
    """Everything that somebody gets by logging in everywhere with all they know, again and again."""

    def __init__(self, devices: list[Made], found: list[AccessPaths]) -> None:
        self.brutes = [BruteForce(each, lambda attempt, result: None) for each in devices]
        self.devices, self.found = devices, found

    def reach(
        self, known: set[object], sources: set[Address], ports: set[int], secrets: list[dict[str, object]]
    ) -> dict[int, int]:
        best: dict[int, int] = {}
        shells: set[int] = set()
        while True:
            before = (dict(best), set(shells), set(known))
            gains: list[tuple[int, str, int]] = []
            for number, brute in enumerate(self.brutes):
                knows = frozenset(item for item, secret in secrets[number].items() if secret in known)
                for via in WAYS:
                    level = self.level(number, brute, via, sources, knows, at=number in ports)
                    if level >= 0:
                        gains.append((number, via, level))
            for number, via, level in gains:
                best[number] = max(level, best.get(number, -1))
                if via in SHELLS:
                    shells.add(number)
                if via in READS and level >= 15:
                    known |= self.shown(number)
            for number in shells:
                own = [each.prefix for each in self.devices[number].resolved.addresses if each.prefix is not None]
                sources |= {Address(prefix.family, prefix.host) for prefix in own}
            if before == (best, shells, known):
                return best

    def level(
        self, number: int, brute: BruteForce, via: str, sources: set[Address], knows: frozenset[str], *, at: bool
    ) -> int:
        resolved, found = self.devices[number].resolved, self.found[number]
        if via in PORTS:
            tries: list[tuple[Address | None, Address | None]] = [(None, None)] if at else []
        else:
            own = [each.prefix for each in resolved.addresses if each.prefix is not None]
            named = {text for each in resolved.conditions.values() if each.addresses for text in each.addresses.value}
            stated = [Address(prefix.family, prefix.host) for prefix in own]
            to = stated or [None, parse_address(ELSE), *map(parse_address, sorted(named))]
            tries = [(source, each) for source in sources for each in to]
        times = list(dict.fromkeys(found.times)) if len(set(found.times)) > 1 else [None]
        return max(
            (brute.best(via, source, to, frozenset(), knows, 0, when) for source, to in tries for when in times),
            default=-1,
        )

    def shown(self, number: int) -> set[object]:
        found: set[object] = set()
        resolved = self.devices[number].resolved
        for several in self.found[number].credentials.stored:
            found |= {("word", plain) for stored in several if stored is not None and (plain := plain_text(stored))}
        for group in resolved.device.groups.values():
            for each in group.servers:
                secret = each.value.secret
                if secret is not None and plain_text(secret):
                    found.add(("word", plain_text(secret)))
        return found


def check(seed: int) -> tuple[int, int]:
    """Compare a spread over one generated network with the brute force; how many devices, and how many are reached."""
    chance = random.Random(seed)
    devices = [Made(chance.randrange(10_000)) for _ in range(chance.randint(2, 6))]
    world = world_of(devices)
    if any(not place.part.complete for place in world.devices):
        return 0, 0
    found = [place.device[3] for place in world.devices]
    secrets: list[dict[str, object]] = []
    for number, paths in enumerate(found):
        mine: dict[str, object] = {}
        for at, (names, several) in enumerate(zip(paths.credentials.names, paths.credentials.stored, strict=True)):
            for name, stored in zip(names, several, strict=True):
                mine[name] = identity(stored, ("class", world.secrets.of[number][at]))
        secrets.append(mine)
    start_device = chance.randrange(len(devices))
    items = sorted(secrets[start_device])
    chosen = chance.sample(items, min(len(items), chance.randint(0, 2)))
    numbers = {
        world.secrets.of[start_device][at]
        for at, names in enumerate(found[start_device].credentials.names)
        if set(names) & set(chosen)
    }
    source = parse_address(chance.choice(SOURCES))
    ports = {start_device} if chance.random() < 0.3 else set()
    reach = spread_from(world, Start(frozenset(numbers), (source,), frozenset(ports)))
    got = {device: each.level for device, each in reach.best.items()}
    known = {secrets[start_device][item] for item in chosen}
    wanted = Tried(devices, found).reach(known, {source}, ports, secrets)
    assert got == wanted, f"{seed=} {source=} {ports=} {chosen=}: spread {got}, logins {wanted}"
    return len(devices), len(got)


def test_what_is_reached_is_what_logins_reach_on_generated_networks() -> None:
    devices = reached = 0
    for seed in range(7):
        some, got = check(seed)
        devices, reached = devices + some, reached + got
    assert devices > 20
    assert 8 < reached < devices


# -- small networks ----------------------------------------------------------------------------------------------------

TOP = "    level 15\n    password readable "


def network(**sheets: str) -> World:
    configs = [
        (read_sheet(f"device {name}: profile role-based\n" + text, f"{name}.sheet"), Project())
        for name, text in sheets.items()
    ]
    return build_world(configs, NOW)


def shell(list_: str = "", own: str = "") -> str:
    limit = f"    from {list_}\n" if list_ else ""
    address = f"address {own}/24:\n" if own else ""
    return f"entry vty 0-3:\n    accept ssh\n    check users\nssh:\n    on\n    host-key ed25519\n{limit}{address}"


def known(world: World, *items: str) -> frozenset[int]:
    found = set()
    for item in items:
        name, _, what = item.partition("/")
        device = world.names.index(name)
        for at, names in enumerate(world.devices[device].part.locks.names):
            found |= {world.secrets.of[device][at]} if what in names else set()
    assert len(found) == len(items)
    return frozenset(found)


def reached(world: World, start: Start, limits: Limits = DEFAULTS) -> dict[str, tuple[int, int]]:
    reach = spread_from(world, start, limits)
    return {world.names[device]: (each.level, each.round) for device, each in reach.best.items()}


def ferry() -> World:
    """A label at the ticket machine, a backup beyond it, and a network that only the machine is in."""
    return network(
        booth=shell(own="10.64.2.5")
        + "user desk:\n"
        + TOP
        + "gull\nuser spare:\n    level 1\n    password readable tern\n    disabled\n",
        store=shell("booths", "10.64.3.5")
        + "sources booths: allow 10.64.2.0/24\nuser lena:\n"
        + TOP
        + "tern\nservers radius g: server 10.64.9.9 shared-secret readable kelp\n",
        core=shell("stores")
        + "sources stores: allow 10.64.3.5/32\nuser omar:\n    level 15\n    password masked "
        + masked("kelp")
        + "\n",
        quay="entry console: check nothing\n",
    )


def masked(text: str) -> str:
    return mask(text)


def test_a_chain_of_three_hops_by_passwords_read_and_addresses_held() -> None:
    world = ferry()
    start = Start(known(world, "booth/user:desk"), (parse_address("203.0.113.7"),), at=frozenset({0}))
    assert reached(world, start) == {"booth": (15, 1), "store": (15, 2), "core": (15, 3)}
    reach = spread_from(world, start)
    chain = chain_of(reach, reach.best[2])
    assert [world.names[each.device] for each in chain] == ["booth", "store", "core"]
    assert [each.hop.origin for each in chain] == [START, 0, 1]
    assert [str(each.hop.source) for each in chain] == ["203.0.113.7", "10.64.2.5", "10.64.3.5"]
    assert [device for each in chain for _, device in each.learnt] == [START, 0, 1]
    # from where the lists trust nobody, at a port, from anywhere, and with what the project says
    assert reached(world, Start(known(world, "store/user:lena"), (parse_address("203.0.113.7"),))) == {}
    assert reached(world, Start(frozenset(), ports=frozenset({3}))) == {"quay": (1, 1)}
    assert set(reached(world, start._replace(sources=(), anywhere=True))) == {"booth", "store", "core"}
    assert reached(world, start, Limits(reads=16)) == {"booth": (15, 1)}
    apart = ((((4, 0x0A400200, 0x0A4002FF),), ((4, 0x0A400300, 0x0A4003FF),)),)
    assert reached(world._replace(apart=apart), start) == {"booth": (15, 1)}


def test_networks_are_held_whole_where_people_sit_and_where_devices_may_be_changed() -> None:
    world = network(
        booth=shell(own="10.64.2.5") + "user desk:\n" + TOP + "gull\n",
        store=shell("desk") + "sources desk: allow 10.64.2.77/32\nuser lena:\n" + TOP + "tern\n",
    )
    both = known(world, "booth/user:desk", "store/user:lena")
    office = ((4, 0x0A400200, 0x0A4002FF),)
    assert reached(world, Start(both, networks=office)) == {"booth": (15, 1), "store": (15, 1)}
    reach = spread_from(world, Start(both, networks=office))
    assert str(reach.best[1].hop.source) == "10.64.2.77"
    outside = Start(both, (parse_address("203.0.113.7"),))
    assert reached(world, outside) == {"booth": (15, 1)}
    assert reached(world, outside, Limits(may_change=True)) == {"booth": (15, 1), "store": (15, 2)}


def test_what_cuts_it_is_the_fewest_changes_and_holds() -> None:
    world = ferry()
    start = Start(known(world, "booth/user:desk"), (parse_address("203.0.113.7"),), at=frozenset({0}))
    cut = cut_of(world, start, Limits(), 0)
    assert (len(cut.fixes), cut.exact, cut.left) == (1, True, 0)
    after = spread_from(world, start, Limits(), plan_of(cut.fixes))
    assert targets_of(after, 0) == []
    assert targets_of(spread_from(world, start), 15) != []


def fewest(world: World, start: Start, level: int) -> int:
    """The size of the smallest cut, by trying all of them."""
    reach = spread_from(world, start)
    every = {Fix("close", each.device, each.hop.passage.path.via) for each in reach.arrivals}
    every |= {Fix("close", p.device, p.path.via) for place in world.devices for p in place.passages}
    every |= {Fix("change", secret=secret) for place in world.devices for p in place.passages for secret in p.needs}
    every |= {Fix("hide", device) for device in range(len(world.devices))}
    for size in range(5):
        for chosen in combinations(sorted(every), size):
            if not targets_of(spread_from(world, start, Limits(), plan_of(chosen)), level):
                return size
    return 99


def test_cuts_of_generated_networks_are_as_small_as_any() -> None:
    compared = 0
    for seed in range(60):
        chance = random.Random(seed)
        world = world_of([Made(chance.randrange(10_000)) for _ in range(2)])
        secrets = sorted(world.needing)
        start = Start(frozenset(chance.sample(secrets, min(2, len(secrets)))), anywhere=True)
        for level in (0, 15):
            cut = cut_of(world, start, Limits(), level)
            assert cut.left == 0
            assert targets_of(spread_from(world, start, Limits(), plan_of(cut.fixes)), level) == []
            if cut.exact and 0 < len(cut.fixes) <= 2:
                compared += 1
                assert len(cut.fixes) == fewest(world, start, level), seed
    assert compared > 15


def test_secrets_are_ranked_by_what_each_opens() -> None:
    world = ferry()
    ranked = rank_secrets(world, Start(frozenset(), anywhere=True), Limits())
    named = {lock.item: each for each in ranked for lock in world.secrets.secrets[each.secret].locks}
    assert [each.secret for each in ranked] == sorted(
        (each.secret for each in ranked), key=lambda s: next(r.rank for r in ranked if r.secret == s)
    )
    desk, omar = named["user:desk"], named["user:omar"]
    assert (desk.opens, desk.opens_15, desk.reaches, desk.reaches_15) == (1, 1, 3, 3)
    assert (omar.opens, omar.reaches) == (1, 1)
    for each in ranked:  # going on from what nobody needs to know anything for is the same as starting afresh
        reach = spread_from(world, Start(frozenset({each.secret}), anywhere=True))
        nothing = spread_from(world, Start(frozenset(), anywhere=True))
        assert each.reaches == sum(device not in nothing.best for device in reach.best)


def test_one_secret_behind_many_forms() -> None:
    world = network(
        a="user lena:\n    level 15\n    password readable gull\n",
        b="user omar:\n    level 15\n    password hashed " + hash_text("gull") + "\n",
        c="entry console:\n    check password\n    password masked " + masked("gull") + "\n",
        d="user ines:\n    level 3\n    password masked-elsewhere 41cc\nuser piet:\n    level 3\n    password masked-elsewhere 41cc\n",
        e="servers radius g: server 192.0.2.1 shared-secret readable gull\n",
    )
    classes = [{lock.device for lock in secret.locks} for secret in world.secrets.secrets]
    assert {0, 1, 2, 4} in classes
    assert {3} in classes
    assert world.secrets.untried == 0
    none = build_world([(place.device[0], place.project) for place in world.devices], NOW, guess=0)
    assert none.secrets.untried == 1
    assert sum(none.secrets.kinds.values()) == 1


# -- the audit of several devices --------------------------------------------------------------------------------------


def audited(limits: Thresholds, **sheets: str) -> AuditReport:
    project = Project(thresholds=limits)
    devices = [
        LoadedDevice(read_sheet(f"device {name}: profile role-based\n" + text, f"{name}.sheet"), project)
        for name, text in sheets.items()
    ]
    return audit(devices, moment=NOW)


def many(report: AuditReport) -> list[tuple[Severity, tuple[str, ...], bool]]:
    found = [each for each in report.network if each.rule == "password-on-many-devices"]
    return [(each.severity, each.devices, "with hops it reaches" in each.message) for each in found]


BOOTH = shell(own="10.64.2.5") + "user desk:\n    level {}\n    password readable gull\n"
STORE = shell("booths") + "sources booths: allow 10.64.2.0/24\nuser omar:\n    level 1\n    password hashed "
CORE = shell("booths") + "sources booths: allow 10.64.2.0/24\nuser lena:\n    level 15\n    password readable tern\n"


def test_the_audit_tries_clear_texts_of_one_device_with_hashes_of_another() -> None:
    sheets = {"booth": BOOTH.format(1), "store": STORE + hash_text("gull") + "\n"}
    report = audited(Thresholds(shared_by=1), **sheets)
    assert many(report) == [(Severity.LOW, ("booth", "store"), False)]
    none = audited(Thresholds(shared_by=1, guess=0), **sheets)
    assert many(none) == []
    what = "1 pair of a clear text and a hash of the network (1 hash of kind $6$)"
    told = {each.name: [note.what for note in each.not_examined if note.what == what] for each in none.audits}
    assert told == {"booth": [], "store": [what]}
    assert all(note.what != what for each in report.audits for note in each.not_examined)


def test_a_shared_password_is_as_grave_as_where_it_leads() -> None:
    """Level 14 alone; with what can be read at that level, level 15 elsewhere."""
    more = "user spare:\n    level 1\n    password readable {}\n    disabled\n"
    sheets = {"store": STORE + hash_text("gull") + "\n", "core": CORE, "quay": BOOTH.format(1)}
    for word, reads, severity in (("tern", 14, Severity.HIGH), ("tern", 15, Severity.LOW), ("kelp", 14, Severity.LOW)):
        booth = BOOTH.format(14) + more.format(word)
        found = many(audited(Thresholds(shared_by=2, reads=reads), booth=booth, **sheets))
        assert found == [(severity, ("booth", "quay", "store"), severity is Severity.HIGH)]
