"""Reading from a git repository, through git itself, without touching its work tree or running anything of its own.

A repository may be hostile: its settings name programs that git would start. Only commands are used that read objects,
and what could start something all the same is switched off: hooks, monitors, pagers, filters, text conversions,
signatures, and fetching what is missing.
"""

import datetime
import os
from collections.abc import Iterable, Mapping, Sequence
from typing import TYPE_CHECKING, NamedTuple

from overhang.text import OverhangError

if TYPE_CHECKING:
    import subprocess

_OFF = (
    "core.fsmonitor=false",
    "core.hooksPath=/dev/null",
    "core.pager=cat",
    "core.alternateRefsCommand=true",
    "diff.external=",
    "log.showSignature=false",
    "protocol.allow=never",
    "submodule.recurse=false",
    "core.quotePath=false",
)
_GLOBAL = ("--no-pager", "--literal-pathspecs", "--no-optional-locks", "--no-replace-objects")
#: Variables by which a caller of git steers it: none of them is meant for us.
_STEERING = "GIT_"
_MISSING = "git is not installed; install it to read from a repository"
_RAW = ("--raw", "-z", "--no-abbrev", "--no-renames", "--no-ext-diff", "--no-textconv", "-r", "--root")
_LINKS, _MODULES = "120000", "160000"


class GitProblem(OverhangError):
    """What cannot be read from a repository, and why."""


class GitMissing(GitProblem):
    """There is no git on this machine."""


class Blob(NamedTuple):
    """A file in a tree: its path below the top of the repository, the hash that git has of its content, its size."""

    path: str
    hash: str
    size: int = 0


class Commit(NamedTuple):
    """A commit: its hash, when it was made, who wrote it, the first line of its note, and the files that it changed,
    each with its content's hash, None where it is gone."""

    hash: str
    when: datetime.datetime
    who: str
    note: str
    files: tuple[tuple[str, str | None], ...] = ()


class Repository:
    """The repository that a path is in. ``inside`` is the path below its top, "" for all of it.

    ``top`` is the folder that the repository's paths are below, for naming its files.
    """

    def __init__(self, path: str) -> None:
        folder, rest = _nearest(path)
        told = self._asked(folder, "rev-parse", "--is-bare-repository", "--show-prefix").decode("utf-8", "replace")
        bare, _, prefix = told.partition("\n")
        self._folder = folder
        self.bare = bare == "true"
        prefix = prefix.rstrip("\n")
        self.inside = os.path.normpath(os.path.join(prefix, rest)) if prefix or rest else ""
        self.inside = "" if self.inside == "." else self.inside.replace(os.sep, "/")
        ups = prefix.rstrip("/").count("/") + 1 if prefix else 0
        self.top = os.path.normpath(os.path.join(folder, *[".."] * ups))
        self._batch: subprocess.Popen[bytes] | None = None

    def __enter__(self) -> "Repository":
        return self

    def __exit__(self, *_: object) -> None:
        self.close()

    def close(self) -> None:
        """End what reads objects."""
        if self._batch is not None and self._batch.stdin is not None and self._batch.stdout is not None:
            self._batch.stdin.close()
            self._batch.stdout.close()
            self._batch.wait()
        self._batch = None

    # -- asking git ----------------------------------------------------------------------------------------------------

    @staticmethod
    def _command(folder: str, *words: str) -> list[str]:
        settings = [word for each in _OFF for word in ("-c", each)]
        return ["git", *_GLOBAL, *settings, "-C", folder, *words]

    @staticmethod
    def _environment() -> dict[str, str]:
        kept = {name: value for name, value in os.environ.items() if not name.startswith(_STEERING)}
        return {**kept, "GIT_TERMINAL_PROMPT": "0", "GIT_NO_LAZY_FETCH": "1", "LC_ALL": "C", "GIT_ATTR_NOSYSTEM": "1"}

    @classmethod
    def _asked(cls, folder: str, *words: str, given: bytes = b"") -> bytes:
        import subprocess  # which takes longer than reading a file without git

        try:
            done = subprocess.run(
                cls._command(folder, *words),
                input=given,
                capture_output=True,
                env=cls._environment(),
                check=False,
            )
        except FileNotFoundError:
            raise GitMissing(_MISSING) from None
        if done.returncode:
            raise GitProblem(f"{folder}: {_why(done.stderr)}")
        return done.stdout

    # -- what is there -------------------------------------------------------------------------------------------------

    def commit(self, revision: str) -> str:
        """The hash of the commit that a revision names. Raises GitProblem."""
        try:
            words = ("rev-parse", "--verify", "--quiet", "--end-of-options", revision + "^{commit}")
            return self._asked(self._folder, *words).decode("ascii").strip()
        except GitMissing:
            raise
        except GitProblem:
            raise GitProblem(f"no revision {revision} in the repository {self.top}") from None

    def files(self, commit: str) -> list[Blob]:
        """The files below ``inside`` in a commit: one where it names a file; links and other repositories left out."""
        words = ["ls-tree", "-r", "-z", "-l", "--full-tree", commit]
        if self.inside:
            words += ["--", self.inside]
        found = []
        for entry in self._asked(self._folder, *words).split(b"\0"):
            head, tab, path = entry.partition(b"\t")
            if tab:
                mode, _, digest, size = head.decode("ascii").split()
                if mode not in (_LINKS, _MODULES):
                    found.append(Blob(os.fsdecode(path), digest, int(size)))
        return found

    def content(self, digest: str) -> bytes:
        """The content of a file. Raises GitProblem where the repository does not have it."""
        return self._object(digest, b"blob")

    def _object(self, digest: str, kind: bytes) -> bytes:
        import subprocess

        if self._batch is None:
            self._batch = subprocess.Popen(
                self._command(self._folder, "cat-file", "--batch"),
                stdin=subprocess.PIPE,
                stdout=subprocess.PIPE,
                stderr=subprocess.DEVNULL,
                env=self._environment(),
            )
        stdin, stdout = self._batch.stdin, self._batch.stdout
        if stdin is None or stdout is None:
            raise GitProblem(f"{self.top}: git gives no content")
        try:
            stdin.write(digest.encode("ascii") + b"\n")
            stdin.flush()
            head = stdout.readline().split()
        except BrokenPipeError:
            head = []
        if len(head) != 3:
            raise GitProblem("its content is not in this repository, which may be a partial copy")
        data = stdout.read(int(head[2]))
        stdout.read(1)
        if head[1] != kind:
            raise GitProblem(f"{digest} is no {kind.decode()}")
        return data

    def commits(self, most: int | None = None, since: str | None = None) -> list[Commit]:
        """The commits that changed something below ``inside``, newest first, along the first parents."""
        words = ["rev-list", "--first-parent", "--parents"]
        words += [f"--max-count={most}"] if most is not None else []
        words += [f"--since={since}"] if since is not None else []
        inside = ["--", *([self.inside] if self.inside else [])]
        listed = self._asked(self._folder, *words, "--end-of-options", "HEAD", *inside)
        fed = b"".join(b" ".join(line.split()[:2]) + b"\n" for line in listed.splitlines())
        told = self._asked(self._folder, "diff-tree", "--stdin", *_RAW, *inside, given=fed)
        changed: dict[str, dict[str, str | None]] = {}
        fields = iter(told.split(b"\0"))
        files: dict[str, str | None] = {}
        for field in fields:
            if field.startswith(b":"):
                words = field.decode("ascii", "replace").split()
                gone = not words[3].strip("0") or words[1] in (_LINKS, _MODULES)
                files[os.fsdecode(next(fields, b""))] = None if gone else words[3]
            elif field.strip():
                files = changed.setdefault(field.split()[0].decode("ascii", "replace"), {})
        hashes = [line.split()[0].decode("ascii") for line in listed.splitlines()]
        return [_commit(each, self._object(each, b"commit"), changed.get(each, {})) for each in hashes]

    def before(self, commit: str) -> str | None:
        """The commit before one, by its first parent; None where there is none, or this copy does not have it."""
        try:
            words = ("rev-parse", "--verify", "--quiet", "--end-of-options", commit + "^")
            return self._asked(self._folder, *words).decode("ascii").strip()
        except GitProblem:
            return None

    @property
    def shallow(self) -> bool:
        """Whether the repository holds only the newest part of its history."""
        return self._asked(self._folder, "rev-parse", "--is-shallow-repository").strip() == b"true"

    @property
    def empty(self) -> bool:
        """Whether there is no commit at all."""
        try:
            self.commit("HEAD")
        except GitProblem:
            return True
        return False


def _commit(digest: str, data: bytes, files: Mapping[str, str | None]) -> Commit:
    head, _, message = data.partition(b"\n\n")
    fields = {name: rest for name, _, rest in (line.partition(b" ") for line in reversed(head.split(b"\n")))}
    who, _, _ = fields.get(b"author", b"").partition(b" <")
    _, _, when = fields.get(b"committer", b"").rpartition(b"> ")
    moment = when.split()[0] if when.split() else b"0"
    try:
        at = datetime.datetime.fromtimestamp(int(moment), datetime.UTC)
    except (ValueError, OverflowError, OSError):
        at = datetime.datetime.fromtimestamp(0, datetime.UTC)
    note = message.lstrip(b"\n").split(b"\n", 1)[0]
    return Commit(digest, at, who.decode("utf-8", "replace"), note.decode("utf-8", "replace"), tuple(files.items()))


def _nearest(path: str) -> tuple[str, str]:
    """The nearest folder at or above a path that exists, and the path below it."""
    folder, rest = os.path.abspath(path), ""
    while not os.path.isdir(folder):
        folder, name = os.path.split(folder)
        rest = os.path.join(name, rest) if rest else name
    return folder, rest


def _why(told: bytes) -> str:
    """Why git does not do something, in one line."""
    text = told.decode("utf-8", "replace").strip()
    first = text.split("\n", 1)[0].removeprefix("fatal: ").removeprefix("error: ")
    if "dubious ownership" in text:
        return "the repository belongs to somebody else; allow it in git's own settings (safe.directory)"
    if "not a git repository" in text:
        return "not in a git repository"
    return f"git cannot read the repository: {first}" if first else "git cannot read the repository"


def split_revision(text: str) -> tuple[str, str] | None:
    """The revision and the path of ``REVISION:PATH``; None for a path, which wins where it exists."""
    if os.path.exists(text) or ":" not in text:
        return None
    revision, _, path = text.partition(":")
    return (revision, path or ".") if revision else None


def wanted_files(files: Iterable[Blob], hidden: Sequence[str], endings: tuple[str, ...]) -> list[Blob]:
    """Those of the files that a folder would be searched for: no hidden ones, none of these names or endings."""
    found = []
    for each in files:
        names = each.path.split("/")
        if not any(name.startswith(".") for name in names) and names[-1] not in hidden:
            found += [] if names[-1].endswith(endings) else [each]
    return sorted(found, key=lambda each: each.path)


def write_repository(
    folder: str, commits: Sequence[tuple[datetime.datetime, str, str, str, Mapping[str, bytes]]]
) -> None:
    """Make a repository in an empty folder: for each commit when, the name and address of who makes it, the note, and
    the files that it writes. Raises GitProblem."""

    import subprocess

    def git(*words: str, extra: Mapping[str, str] | None = None) -> None:
        environment = {**Repository._environment(), "GIT_CONFIG_GLOBAL": os.devnull, **(extra or {})}
        settings = ("commit.gpgSign=false", "init.templateDir=", "core.autocrlf=false")
        command = Repository._command(folder, *words)
        command[1:1] = [word for each in settings for word in ("-c", each)]
        try:
            done = subprocess.run(command, stdin=subprocess.DEVNULL, capture_output=True, env=environment, check=False)
        except FileNotFoundError:
            raise GitMissing(_MISSING) from None
        if done.returncode:
            raise GitProblem(f"{folder}: {_why(done.stderr)}")

    git("init", "--quiet", "--initial-branch=main")
    for when, who, address, note, files in commits:
        for name, data in files.items():
            with open(os.path.join(folder, name), "wb") as stream:
                stream.write(data)
        date = f"{when:%Y-%m-%dT%H:%M:%S+00:00}"
        author = {"GIT_AUTHOR_NAME": who, "GIT_AUTHOR_EMAIL": address, "GIT_AUTHOR_DATE": date}
        committer = {"GIT_COMMITTER_NAME": who, "GIT_COMMITTER_EMAIL": address, "GIT_COMMITTER_DATE": date}
        git("add", "--all", "--", *files)
        git("commit", "--quiet", "--no-verify", "-m", note, extra={**author, **committer})
