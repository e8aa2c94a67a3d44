"""One device of a run: read and audited, to what the report and its network need of it."""

import datetime
from collections.abc import Iterable, Sequence
from typing import TYPE_CHECKING, NamedTuple

from overhang.auditing import DeviceAudit, audit_config
from overhang.auditing.report import Unreadable
from overhang.auditing.runner import quoted
from overhang.exposure import AccessPaths, resolve
from overhang.fleet.digests import content_digest
from overhang.formats import Reader
from overhang.language import ParsedConfig
from overhang.language.ir import Remark
from overhang.language.parsed_config import Outline
from overhang.loading import Loader, Projects
from overhang.model import Device
from overhang.model.hash_budget import HashBudget, share_of
from overhang.project import Project
from overhang.simulation import ResolvedDevice
from overhang.spread.world import NetworkPart

if TYPE_CHECKING:
    from overhang.fleet.chunks import File
    from overhang.fleet.likeness import Likenesses

#: In a run of so many files it is worth looking for devices that are alike.
WORTH_LIKENING = 6


class Terms(NamedTuple):
    """What holds for a whole run: how files are read, the moment, the key of its digests, and how many files there are.

    Whoever has them audits a file as everybody else does.
    """

    project: str | None
    guess: int | None
    reader: str | None
    dialect: str | None
    trusted: frozenset[str]
    moment: datetime.datetime
    key: bytes
    files: int

    @classmethod
    def of(cls, loader: Loader, moment: datetime.datetime, key: bytes, files: int) -> "Terms":
        """Those of a run that reads by a loader; ``key`` is random, and the same for the whole run."""
        projects = loader.projects
        return cls(projects.given, projects.guess, *loader.asked, moment, key, files)


class Examined(NamedTuple):
    """One device: its audit, and its part of the network.

    ``content`` is the digest of the bytes that it was read from; ``depends`` tells whether the audit depends on the
    "day", on the "moment" of the day too, or on neither.
    """

    audit: DeviceAudit
    part: NetworkPart
    content: bytes = b""
    depends: str = ""


class Subject:
    """A device that is to be examined: its configuration, or a sheet, of which that is built where it is needed."""

    def __init__(self, source: ParsedConfig | Outline, project: Project) -> None:
        self.outline = source if isinstance(source, Outline) else None
        self.project = project
        #: what is remarked of a sheet that was built
        self.remarks: list[Remark] = []
        self._config = source if isinstance(source, ParsedConfig) else None

    @property
    def config(self) -> ParsedConfig:
        """Its configuration."""
        if self._config is None:
            assert self.outline is not None, "one of the two is there"
            self._config, self.remarks = self.outline.built()
        return self._config

    @property
    def file(self) -> str:
        """What it was read from."""
        return self.outline.file if self.outline is not None else self.config.device.file


def examine(
    subject: Subject,
    moment: datetime.datetime,
    key: bytes,
    hashes: HashBudget,
    likenesses: "Likenesses | None" = None,
    *,
    alike: bool | None = None,
) -> Examined:
    """Audit a device that was read; see ``audit_config``. ``likenesses`` are the structures that were met before;
    ``alike``: whether more devices of its structure are to be expected, where that is known."""
    project = subject.project
    told = None
    if likenesses is not None and alike is not False:
        told = likenesses.tell(subject, hashes, at_once=bool(alike))
    if told is not None:
        return Examined(quoted(told.judged, told.text, told.secrets, project, key), told.part, depends=told.depends)
    hashes = hashes.fresh()
    made: list[tuple[ResolvedDevice, AccessPaths]] = []
    config = subject.config
    audit = audit_config(config, project, moment, key, hashes, lambda *found: made.append(found))
    depends = depends_on(config.device, project, hours=bool(made[0][0].hours))
    return Examined(audit, NetworkPart.of((config, project, *made[0])), depends=depends)


def examine_together(subjects: Sequence[Subject], moment: datetime.datetime, key: bytes) -> list[Examined]:
    """Audit devices that were read."""
    number = len(subjects)
    likenesses = _likenesses(moment, number)
    return [
        examine(each, moment, key, share_of(each.project.thresholds.guess, number), likenesses) for each in subjects
    ]


def _likenesses(moment: datetime.datetime, devices: int) -> "Likenesses | None":
    """The structures of a run of so many devices, where that is worth it."""
    if devices < WORTH_LIKENING:
        return None
    from overhang.fleet import likeness  # of no use to a few devices

    return likeness.Likenesses(moment)


def depends_on(device: Device, project: Project, *, hours: bool) -> str:
    """Whether an audit depends on the "day", on the "moment" of the day too, or on neither: ""."""
    keys = (said.value for user in device.users.values() for said in (*user.public_keys, *user.authorities))
    dated = (
        project.waivers
        or device.web.certificate_valid
        or any(user.expires for user in device.users.values())
        or any(each.until for each in keys)
    )
    return "moment" if hours else "day" if dated else ""


class Known(NamedTuple):
    """One device whose audit an earlier run has made."""

    audit: DeviceAudit


class Outcome(NamedTuple):
    """What became of one file: a device, why there is none, or None where no reader recognises it; and what was found
    to be wrong with dialects on the way."""

    found: Examined | Known | Unreadable | None
    problems: tuple[Unreadable, ...] = ()


class Carried(NamedTuple):
    """A file whose bytes somebody else has read, who says which reader and project hold for it."""

    data: bytes
    reader: Reader
    project: Project


class Examiner:
    """Audits the devices of a run, one after another."""

    def __init__(self, terms: Terms, loader: Loader | None = None) -> None:
        self.terms = terms
        self._likenesses = _likenesses(terms.moment, terms.files)
        self.loader = loader or Loader(Projects(terms.project, terms.guess), terms.reader, terms.dialect, terms.trusted)

    def examine(
        self, folder: str | None, path: str, *, alike: bool | None = None, carried: Carried | None = None
    ) -> Outcome:
        """Read and audit one file, from what was ``carried`` here or else where it lies. ``alike``: whether others of
        the run look like it, where that is known. Raises BadProject."""
        content = [b""]
        if carried is not None:
            self.loader.projects.hold(path, carried.project)

        def load(path: str) -> ParsedConfig | Outline:
            data = self.loader.bytes_of(path) if carried is None else carried.data
            content[0] = content_digest(data)
            read = self.loader.read if self._likenesses is None or alike is False else self.loader.outline
            return read(data, self.loader.shown(path), reader=carried and carried.reader)

        source = self.loader.take(folder, path, load)
        problems = tuple(self.loader.problems())
        if source is None or isinstance(source, Unreadable):
            return Outcome(source, problems)
        file = source.file if isinstance(source, Outline) else source.device.file
        subject = Subject(source, self.loader.projects.of(file))
        hashes = share_of(subject.project.thresholds.guess, self.terms.files)
        found = examine(subject, self.terms.moment, self.terms.key, hashes, self._likenesses, alike=alike)
        return Outcome(found._replace(content=content[0]), problems)

    def carry(self, folder: str | None, path: str) -> Carried | Outcome:
        """Read a file's bytes, for others to examine it; the outcome where that fails. Raises BadProject."""

        def load(path: str) -> Carried:
            data = self.loader.bytes_of(path)
            return Carried(data, self.loader.reader_of(path, data), self.loader.projects.of(path))

        found = self.loader.take(folder, path, load)
        if found is None or isinstance(found, Unreadable):
            return Outcome(found, tuple(self.loader.problems()))
        assert isinstance(found, Carried), "load gives nothing else"
        return found

    def secrets_again(self, path: str, part: NetworkPart) -> NetworkPart:
        """A part that was kept without its secrets, with those of its file; without, where that has gone meanwhile."""
        config = self.loader.take(None, path)
        if config is None or isinstance(config, Unreadable):
            return part
        resolved = resolve(config, self.loader.projects.of(config.device.file), HashBudget(0))
        return part.with_secrets(resolved)


def examine_all(examiner: Examiner, files: "Iterable[File]") -> list[Outcome]:
    """Examine some of the files of a run."""
    return [examiner.examine(each.folder, each.path, alike=each.alike) for each in files]
