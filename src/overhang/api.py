"""The public API: what the commands do, for programs. docs/python.md shows it at work.

Everything here takes and returns values; nothing is printed, and whatever goes wrong is an ``OverhangError``.
"""

import datetime
import os
from collections.abc import Collection, Iterable, Iterator, Sequence
from functools import cached_property
from typing import TYPE_CHECKING, Any, NamedTuple

from overhang.auditing import DeviceAudit
from overhang.auditing.folding import Wanted, every, shown
from overhang.auditing.report import AuditReport, Unreadable
from overhang.exposure import (
    AccessPaths,
    ExpectationChecker,
    ExpectationResult,
    applies_to,
    find_paths,
    resolve,
)
from overhang.exposure.knowledge import Examined, Knowledge
from overhang.fleet.across import Across, compare_devices
from overhang.fleet.examine import Subject, examine_together
from overhang.fleet.gather import ALONE, Sharing, gather
from overhang.language import ParsedConfig
from overhang.loading import Loader, Progress, Projects, read_file
from overhang.model import Device, parse_address
from overhang.project import Expectation, Project
from overhang.simulation import Attempt, ResolvedDevice, Result, decide
from overhang.text import Diagnostic, OverhangError

if TYPE_CHECKING:
    import pandas

    from overhang.changes.compare import Comparison
    from overhang.changes.mend import Choices, Mend
    from overhang.changes.rehearse import Rehearsal
    from overhang.changes.session import Session


class LoadedDevice:
    """One device's configuration, read, with the project that holds for it."""

    def __init__(self, config: ParsedConfig, project: Project) -> None:
        self.config = config
        self.project = project

    def __repr__(self) -> str:
        return f"LoadedDevice(name={self.name!r}, file={self.file!r})"

    @property
    def name(self) -> str:
        """The device's name, or its file's where it has none."""
        return self.config.device.name

    @property
    def file(self) -> str:
        """The file that it was read from, as it was given."""
        return self.config.device.file

    @property
    def device(self) -> Device:
        """The access model: what is configured, each value with its line."""
        return self.config.device

    @property
    def diagnostics(self) -> tuple[Diagnostic, ...]:
        """What was wrong with the configuration's lines."""
        return self.config.diagnostics

    @cached_property
    def resolved(self) -> ResolvedDevice:
        """The device with its profile: every value, configured or not."""
        return resolve(self.config, self.project)

    @property
    def understood(self) -> bool:
        """Whether every line and the profile were understood; where not, answers may be "unknown"."""
        return self.resolved.understood


class Devices:
    """The devices of some files and folders, and what could not be read."""

    def __init__(
        self,
        devices: tuple[LoadedDevice, ...],
        unreadable: tuple[Unreadable, ...] = (),
        left_out: tuple[str, ...] = (),
    ) -> None:
        self.devices = devices
        self.unreadable = unreadable
        self.left_out = left_out

    def __repr__(self) -> str:
        return f"Devices({', '.join(each.name for each in self.devices)})"

    def __iter__(self) -> Iterator[LoadedDevice]:
        return iter(self.devices)

    def __len__(self) -> int:
        return len(self.devices)

    def __getitem__(self, name: str) -> LoadedDevice:
        """The device of a name. Raises OverhangError where there is none."""
        for each in self.devices:
            if each.name == name:
                return each
        raise OverhangError(f"no device is called {name}")


class Path(NamedTuple):
    """One access path: who knows ``needs`` reaches ``level``.

    ``via`` is the way; ``sources`` are the source prefixes, or None at a port; ``to`` are the device's own addresses
    that answer, or None where none is configured. ``needs`` are items of knowledge, empty for nothing. ``after_login``
    and ``level`` are privilege levels from 0 to 15 (RFC 8907). ``servers_down`` lists the states of the AAA servers in
    which it holds, each the addresses of those that do not answer. ``certain`` is false where it depends on unknown
    facts. ``vtys`` are the VTYs that it leads through, ``needs_busy`` those that must be in use for that. ``hours``
    tells at which times of day it holds, each the stated times that hold then; it is empty where it always does.
    """

    device: str
    via: str
    sources: tuple[str, ...] | None
    to: tuple[str, ...] | None
    needs: tuple[str, ...]
    after_login: int
    level: int
    servers_down: tuple[tuple[str, ...], ...]
    certain: bool
    vtys: tuple[int, ...] = ()
    needs_busy: tuple[int, ...] = ()
    hours: tuple[tuple[str, ...], ...] = ()


def load(
    paths: str | os.PathLike[str] | Iterable[str | os.PathLike[str]],
    *,
    project: str | None = None,
    reader: str | None = None,
    dialect: str | None = None,
    guess: int | None = None,
    trust: Collection[str | os.PathLike[str]] = (),
) -> Devices:
    """Read devices' configurations.

    ``paths`` are files, and folders that are searched. ``project`` is a project file in place of the nearest
    ``overhang.toml`` above each file; ``reader`` or ``dialect`` say how to read every file, in place of by content;
    ``guess`` is what trying passwords against hashes may cost in a run, in units of about a millisecond of a common
    hash; each device has an equal part (by default 1,000, less of many); ``trust`` names steps of dialects that may
    run, beside those on the user's list: they are code. Files that cannot be read do not stop the
    others: they are in ``unreadable``. Raises OverhangError for a project file, reader or dialect that cannot be used.
    """
    given = [paths] if isinstance(paths, str | os.PathLike) else paths
    loader = Loader(Projects(project, guess), reader, dialect, _digests(trust))
    devices: list[LoadedDevice] = []
    unreadable: list[Unreadable] = []
    for each in loader.configs(os.fspath(path) for path in given):
        if isinstance(each, Unreadable):
            unreadable.append(each)
        else:
            devices.append(LoadedDevice(each, loader.projects.of(each.device.file)))
    return Devices(tuple(devices), tuple(unreadable), tuple(loader.left_out))


def _digests(paths: Collection[str | os.PathLike[str]]) -> frozenset[str]:
    """What steps are trusted by. Raises OverhangError for a file that cannot be read."""
    if not paths:
        return frozenset()
    from overhang.teach.trust import digest_of, read_step

    return frozenset(digest_of(read_step(os.fspath(path))) for path in paths)


def now(moment: datetime.datetime | None = None) -> datetime.datetime:
    """A moment, UTC where it has no zone; the clock's where none is given."""
    if moment is None:
        return datetime.datetime.now(datetime.UTC)
    return moment if moment.tzinfo else moment.replace(tzinfo=datetime.UTC)


def audit(devices: Devices | Iterable[LoadedDevice], *, moment: datetime.datetime | None = None) -> AuditReport:
    """Audit devices: what is wrong with each, worst device first, and across them.

    ``moment`` is the time to go by, in place of the clock's.
    """
    at, key = now(moment), os.urandom(32)
    loaded = list(devices)
    examined = examine_together([Subject(each.config, each.project) for each in loaded], at, key)
    projects = {each.project.file: each.project for each in loaded}
    unreadable = devices.unreadable if isinstance(devices, Devices) else ()
    left_out = devices.left_out if isinstance(devices, Devices) else ()
    audits, parts = [each.audit for each in examined], [each.part for each in examined]
    across = compare_devices(audits, parts, list(projects.values()), at.date())
    return report_of(audits, across, at, unreadable, left_out)


def report_of(
    audits: Sequence[DeviceAudit],
    across: Across,
    moment: datetime.datetime,
    unreadable: Iterable[Unreadable] = (),
    left_out: Iterable[str] = (),
    wanted: Wanted = every,
) -> AuditReport:
    """The report of audits that were made one by one, and of what is wrong across the devices. Findings are folded
    after those not ``wanted`` are left out.
    """
    network, network_waived = across.network, across.waived
    whole = across.noted(audits)
    hidden = sum(not wanted(each.rule, each.severity) for audit in whole for each in audit.findings)
    hidden += sum(not wanted(each.rule, each.severity) for each in network)
    ranked = sorted((shown(audit, wanted) for audit in whole), key=lambda audit: audit.rank)
    return AuditReport(
        tuple(ranked),
        tuple(each for each in network if wanted(each.rule, each.severity)),
        tuple(unreadable),
        moment,
        tuple(left_out),
        tuple(each for each in network_waived if wanted(each.finding.rule, each.finding.severity)),
        hidden,
    )


def audit_paths(
    paths: Iterable[str],
    loader: Loader,
    moment: datetime.datetime,
    progress: Progress = lambda found: found,
    wanted: Wanted = every,
    sharing: Sharing = ALONE,
) -> AuditReport:
    """Audit the devices that ``paths`` name; only their results are kept, and what comparing them needs. ``sharing``
    says who does the work.

    ``wanted`` tells by rule and severity which findings are; the others are left out before findings about one fault
    are folded.
    """
    found = gather(paths, loader, moment, progress, sharing)
    return report_of(found.audits, found.across, moment, found.unreadable, found.left_out, wanted)


def audit_revision(
    paths: Iterable[str], revision: str, loader: Loader, moment: datetime.datetime, wanted: Wanted = every
) -> AuditReport:
    """Audit what ``paths`` named at a revision of the git repository that they are in, by the projects of today.

    Files are called as they are called today. Raises GitProblem.
    """
    unreadable: list[Unreadable] = []
    found: list[tuple[ParsedConfig, Project]] = []
    for path in paths:
        for below, each in loader.side(f"{revision}:{path}"):
            if isinstance(each, Unreadable):
                unreadable.append(each)
                continue
            file = os.path.join(path, below) if os.path.isdir(path) else path
            config = each._replace(device=each.device._replace(file=file))
            found.append((config, loader.projects.of(file)))
    examined = examine_together([Subject(config, project) for config, project in found], moment, b"")
    audits, parts = [each.audit for each in examined], [each.part for each in examined]
    across = compare_devices(audits, parts, loader.projects.all(), moment.date())
    return report_of(audits, across, moment, unreadable, (), wanted)


def simulate(device: LoadedDevice, attempt: Attempt | None = None, **fields: Any) -> Result:
    """Simulate one login: its outcome, level, the reason, and the trace of every step.

    Give an ``Attempt``, or its fields: ``via``, ``source`` (an address as text will do), ``name``, ``passwords``,
    ``knows``, ``elevate``, and so on. The moment is the clock's, and what the AAA servers hold the project's, unless
    they are given. Raises ValueError for an address that is none.
    """
    if attempt is None:
        for key in ("source", "destination"):
            if isinstance(fields.get(key), str):
                fields[key] = parse_address(fields[key])
        fields.setdefault("servers", device.project.servers)
        attempt = Attempt(**{"moment": now(), **fields})
    return decide(device.resolved, attempt).result


def paths_into(device: LoadedDevice, moment: datetime.datetime | None = None) -> AccessPaths:
    """Every access path into a device, as sets; ``access_paths`` gives them as plain values."""
    return find_paths(device.resolved, now(moment), device.project.servers)


def access_paths(device: LoadedDevice, *, moment: datetime.datetime | None = None) -> list[Path]:
    """Every access path into a device, worst first: from where, the least one needs to know, and the level reached."""
    found = paths_into(device, moment)
    return [
        Path(
            device.name,
            each.via,
            None if each.sources is None else tuple(found.address_classes.prefixes(each.sources)),
            each.to,
            tuple(sorted(found.credentials.known_as(number) for number in each.needs)),
            each.after_login,
            each.level,
            tuple(tuple(down) for down in found.down(each)),
            each.sure,
            each.vtys,
            each.needs_busy,
            tuple(tuple(hours.text for hours in held) for held in found.hours(each)),
        )
        for each in found.paths
    ]


def expect(
    devices: Iterable[LoadedDevice], *, moment: datetime.datetime | None = None
) -> dict[Expectation, list[ExpectationResult]]:
    """Check the expectations of the projects: for each its results, one for each device that it applies to.

    An expectation that applies to none of the devices has an empty list, and proves nothing. Whoever knows a secret
    knows it on all the devices given here, where it is provably the same.
    """
    return check_expectations(devices, now(moment))[0]


def check_expectations(
    devices: Iterable[LoadedDevice], moment: datetime.datetime
) -> tuple[dict[Expectation, list[ExpectationResult]], int]:
    """What ``expect`` gives, and how many pairs of a clear text and a hash of the run could not be compared."""
    results: dict[Expectation, list[ExpectationResult]] = {}
    given = list(devices)
    concerned = any(each.project.expectations for each in given)
    examined = [Examined(each.resolved, paths_into(each, moment), each.project) for each in given] if concerned else []
    knowledge = Knowledge(examined) if examined[1:] else None
    for number, each in enumerate(given):
        chosen = [expectation for expectation in each.project.expectations if applies_to(expectation, each.device)]
        for expectation in each.project.expectations:
            results.setdefault(expectation, [])
        if chosen:
            project = knowledge.people_of(number) if knowledge is not None else each.project
            checker = ExpectationChecker(each.resolved, examined[number].found, project, moment)
            for expectation in chosen:
                results[expectation].append(checker.check(expectation))
    return results, knowledge.untried if knowledge is not None else 0


def compare(
    old: Devices | Iterable[LoadedDevice],
    new: Devices | Iterable[LoadedDevice],
    *,
    moment: datetime.datetime | None = None,
) -> "Comparison":
    """Compare two states of devices: who can get in now who could not, who no longer, and what else differs.

    Devices are paired by name, then by file; both states are judged at one moment, each by its own project.
    """
    from overhang.changes.compare import compare as compare_sides  # what only changes need is imported for them

    sides: list[list[tuple[str, ParsedConfig | Unreadable]]] = []
    projects: list[dict[str, Project]] = []
    for each in (old, new):
        loaded = list(each)
        unreadable = each.unreadable if isinstance(each, Devices) else ()
        sides.append([*((one.file, one.config) for one in loaded), *((one.file, one) for one in unreadable)])
        projects.append({one.file: one.project for one in loaded})
    return compare_sides(
        sides[0],
        sides[1],
        now(moment),
        lambda config: projects[0][config.device.file],
        lambda config: projects[1][config.device.file],
    )


def rehearse(
    device: LoadedDevice,
    change: str | os.PathLike[str],
    *,
    session: "Session | None" = None,
    at_once: bool = False,
    moment: datetime.datetime | None = None,
) -> "Rehearsal":
    """Apply a change of a device statement by statement: who gains, who is locked out, and a safe order.

    ``change`` is a file of sheet statements, or of the maker's own words; ``session`` is the one in which it is typed.
    Raises OverhangError where it cannot be read.
    """
    from overhang.changes.change import read_change
    from overhang.changes.rehearse import Rehearser

    path = os.fspath(change)
    loader = Loader(Projects())
    read = read_change(device.config, read_file(path), path, lambda: read_file(device.file), loader.reader(device.file))
    return Rehearser(device.config, device.project, now(moment), session).rehearse(read, at_once=at_once)


def mend(device: LoadedDevice, choices: "Choices | None" = None, *, moment: datetime.datetime | None = None) -> "Mend":
    """Find what mends a device's findings: remedies in a safe order, each proved, as statements of a sheet."""
    from overhang.changes.mend import Mender

    return Mender(device.config, device.project, now(moment), every, choices).mend()


def to_frame(results: Any, of: str = "findings") -> "pandas.DataFrame":
    """Results as a pandas DataFrame, one a row: whatever the functions here give.

    An audit gives its findings, or with ``of`` its "devices" (marks and counts), their "exposure" (for each way the
    least knowledge that reaches the highest level), or the findings across the "network". Access paths, expectations,
    logins, comparisons, rehearsals, mends, devices, and several of these, have one kind of row each. Raises ValueError
    for a kind of row that there is not, and OverhangError where pandas is missing (the extra ``overhang[frames]``).
    """
    try:
        import pandas
    except ImportError:
        raise OverhangError("pandas is not installed; install overhang[frames]") from None
    from overhang.frames import rows_of

    return pandas.DataFrame(list(rows_of(results, of)))
