"""The one place where output leaves the program: to standard output, or to a file whole or not at all.

A file is never written over an input of the run, nor over anything that a reader, a project or a dialect is: see
``check_target``.
"""

import argparse
import contextlib
import os
import stat
import sys
from collections.abc import Callable, Iterable

from overhang.cli.errors import OutputError, UserError
from overhang.errors import OverhangError

TYPE_CHECKING = False
if TYPE_CHECKING:
    from overhang.text.printable import Printable

#: Options of any command that name files which the command reads.
_READ = (
    "paths",
    "baseline",
    "notes_from",
    "since",
    "files",
    "sheet",
    "project",
    "project_then",
    "change",
    "choose",
    "dialect",
    "attempts",
    "servers",
    "files_from",
    "key",
    "password_file",
    "elevate_password_file",
)


class _Standard:
    """Whether somebody still reads standard output. A reader that closes the pipe has seen enough."""

    closed = False
    copy: "list[str] | None" = None


def take_copy() -> None:
    """Take a copy of what is written to standard output from now on."""
    _Standard.copy = []


def copied() -> str:
    """What was written since the copy was begun, which this ends."""
    parts, _Standard.copy = _Standard.copy or [], None
    return "".join(parts)


def write_out(text: "Printable") -> None:
    """Write to standard output; nothing where its reader has gone, so that the command ends with its own exit code.

    Raises OutputError where it cannot be written.
    """
    if _Standard.copy is not None:
        _Standard.copy.append(text)
    _guarded(lambda: sys.stdout.write(text))


def flush_out() -> None:
    """Write what waits in the buffer of standard output. Raises OutputError."""
    _guarded(sys.stdout.flush)


def _guarded(action: Callable[[], object]) -> None:
    if _Standard.closed:
        return
    try:
        action()
    except BrokenPipeError:
        _discard()
        _Standard.closed = True
    except OSError as error:
        _discard()
        raise OutputError(f"standard output: cannot be written: {error.strerror or 'it is closed'}") from None


def _discard() -> None:
    """Send what is still in the buffer nowhere, so that the interpreter does not try again at its end."""
    os.dup2(os.open(os.devnull, os.O_WRONLY), sys.stdout.fileno())


def tell(message: str) -> None:
    """One line on standard error, after the program's name. Where nobody can read it, the exit code still tells."""
    if not (message.isascii() and message.isprintable()):
        from overhang.text.printable import safe  # names of files and arguments may hold anything

        message = safe(message)
    try:
        print(f"overhang: {message}", file=sys.stderr, flush=True)
    except (OSError, ValueError):
        sys.stderr = open(os.devnull, "w", encoding="utf-8")  # noqa: SIM115 - open until the program ends


# -- files -------------------------------------------------------------------------------------------------------------


def check_target(path: str, options: argparse.Namespace, content: bytes | None = None) -> None:
    """Raise UserError where writing ``path`` would destroy something.

    That is a file that the run reads, a folder, and a configuration, project file or dialect, whoever wrote it. A file
    that already holds just ``content`` loses nothing. Any other file, as an earlier report, may be replaced.
    """
    try:
        facts = os.stat(path)
    except OSError:
        return
    if stat.S_ISDIR(facts.st_mode):
        raise UserError(f"{path}: is a folder; name a file to write")
    if not stat.S_ISREG(facts.st_mode):
        if os.path.samefile(path, os.devnull):
            return
        raise UserError(f"{path}: is not an ordinary file; without --output the report goes to standard output")
    if (facts.st_dev, facts.st_ino) in _inputs(options):
        raise UserError(f"{path}: is an input of this run and is not overwritten; choose another name")
    if content is not None and _holds(path, content):
        return
    kind = _recognised(path)
    if kind:
        raise UserError(f"{path}: exists already and is {kind}, which is not overwritten; choose another name")


def write_file(path: str, content: "Printable | bytes", options: argparse.Namespace) -> None:
    """Write a file so that it is there whole or not at all. Raises UserError (see ``check_target``), OutputError."""
    data = content.encode("utf-8", "backslashreplace") if isinstance(content, str) else content
    check_target(path, options, data)
    replace_file(path, data)


def replace_file(path: str, data: bytes) -> None:
    """Write a file whole or not at all, over whatever is there. Raises OutputError."""
    import tempfile  # most runs write no file

    target = os.path.realpath(path)
    if target == os.devnull:
        return
    prefix = own_prefix()
    try:
        _clear_left_behind(os.path.dirname(target), prefix)
        before = os.stat(target) if os.path.exists(target) else None
        handle, temporary = tempfile.mkstemp(dir=os.path.dirname(target), prefix=f"{prefix}{os.getpid()}-")
        try:
            with os.fdopen(handle, "wb") as stream:
                stream.write(data)
                stream.flush()
                os.fsync(stream.fileno())
            os.chmod(temporary, 0o666 & ~_umask() if before is None else stat.S_IMODE(before.st_mode))
            if before is not None:
                _keep_owner(path, temporary, before)
            os.replace(temporary, target)
            _WRITTEN.append(path)
        except BaseException:
            os.unlink(temporary)
            raise
    except OSError as error:
        raise OutputError(f"{path}: cannot be written: {error.strerror}") from None


def after_interrupt() -> str:
    """What an interrupted run has done, for people: its files are whole, and the rest was not begun."""
    if not _WRITTEN:
        return "interrupted; nothing was changed"
    more = f" and {len(_WRITTEN) - 3:,} more" if len(_WRITTEN) > 3 else ""
    return f"interrupted; written whole: {', '.join(_WRITTEN[:3])}{more}; nothing else was changed"


#: The files that this run has written.
_WRITTEN: list[str] = []


def own_prefix() -> str:
    """How the names of files begin that runs on this machine are writing; a process and a dash follow."""
    import platform
    import zlib

    return f".overhang-{zlib.crc32(platform.node().encode()):08x}-"


def _keep_owner(path: str, temporary: str, before: os.stat_result) -> None:
    """Give the new file the owner of the one that it replaces. Raises OutputError where that is not allowed."""
    made = os.stat(temporary)
    if (made.st_uid, made.st_gid) == (before.st_uid, before.st_gid):
        return
    try:
        os.chown(temporary, before.st_uid, before.st_gid)
        os.chmod(temporary, stat.S_IMODE(before.st_mode))  # a change of owner drops some of the modes
    except PermissionError:
        raise OutputError(f"{path}: belongs to somebody else and could not stay theirs; choose another name") from None


def _clear_left_behind(folder: str, prefix: str) -> None:
    """Remove what runs on this machine that were killed while writing left in a folder."""
    if os.name != "posix":
        return  # there is no asking whether a process runs without ending it
    names = []
    with contextlib.suppress(OSError):  # a folder may allow writing and not listing
        names = os.listdir(folder)
    for name in names:
        process = name.removeprefix(prefix).split("-")[0]
        if name.startswith(prefix) and process.isdigit() and not _runs(int(process)):
            with contextlib.suppress(OSError):  # another run may clear it at the same time
                os.unlink(os.path.join(folder, name))


def _runs(process: int) -> bool:
    try:
        os.kill(process, 0)
    except ProcessLookupError:
        return False
    except (PermissionError, OverflowError):
        return True
    return True


def make_folder(path: str) -> None:
    """Make a folder, and those above it, where it is not there. Raises OutputError."""
    try:
        os.makedirs(path or ".", exist_ok=True)
    except OSError as error:
        raise OutputError(f"{path}: cannot be made: {error.strerror}") from None


def _inputs(options: argparse.Namespace) -> set[tuple[int, int]]:
    """What tells apart each file that the options name to be read, those in folders too; found out once."""
    found: set[tuple[int, int]] | None = getattr(options, "input_files", None)
    if found is None:
        found = set()
        for path in _read_by(options):
            with contextlib.suppress(OSError):
                facts = os.stat(path)
                found.add((facts.st_dev, facts.st_ino))
        options.input_files = found
    return found


def _read_by(options: argparse.Namespace) -> Iterable[str]:
    from overhang.loading import find_files

    for name in _READ:
        given = getattr(options, name, None)
        for each in [given] if isinstance(given, str) else given or ():
            if os.path.isdir(each):
                yield from (found for _, found in find_files([each]) if isinstance(found, str))
            else:
                yield each


def _holds(path: str, content: bytes) -> bool:
    try:
        with open(path, "rb") as stream:
            return stream.read(len(content) + 1) == content
    except OSError:
        return False


def _recognised(path: str) -> str:
    """What a file is, if the product reads such files: "a sheet", ...; "" for any other."""
    from overhang.files import DIALECT
    from overhang.formats import FormatRegistry, NoReader
    from overhang.formats.dialect_format import load_dialect
    from overhang.loading import Projects, read_file
    from overhang.project import NAME, read_project
    from overhang.report import is_report

    if os.path.basename(path) == NAME:
        return "a project file"
    if path.endswith(DIALECT) or _loads(path, load_dialect):
        return "a dialect"
    if _loads(path, read_project):
        return "a project file"
    try:
        data = read_file(path)
    except OverhangError:
        return "a file that cannot be read"
    try:
        project = Projects().of(path)
        root = os.path.dirname(os.path.relpath(project.file)) if project.file else ""
        reader = FormatRegistry().choose(data, path, project.dialects, root)
    except NoReader:
        return "a configuration"
    except OverhangError:
        reader = FormatRegistry().choose(data, path)
    if reader is None or is_report(data):
        return ""
    return f"a configuration ({reader.name})"


def _loads(path: str, load: Callable[[str], object]) -> bool:
    """Whether a TOML file is what ``load`` reads, whatever it is called."""
    if not path.endswith(".toml"):
        return False
    try:
        load(path)
    except OverhangError:
        return False
    return True


def _umask() -> int:
    mask = os.umask(0)
    os.umask(mask)
    return mask
