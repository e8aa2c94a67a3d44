"""Make the stored form of a password, or decode one. Passwords are typed without echo, never given as arguments."""

import argparse
import getpass
import sys

from overhang.cli.errors import CLEAN, UserError
from overhang.cli.main import add_choice
from overhang.cli.terminal import write_data
from overhang.model.masking import mask, unmask
from overhang.model.stored_secret import Form, StoredSecret
from overhang.model.verification import hash_text, plain_text


def add_arguments(parser: argparse.ArgumentParser) -> None:
    """The options of ``overhang password``."""
    about = "the form to make (default: hashed)"
    add_choice(parser, "--form", ("readable", "masked", "hashed"), default="hashed", help=about)
    parser.add_argument(
        "--open",
        action="store_true",
        help="ask for a stored form, like masked ~2p2q4icplwbq, and show its password",
    )


def run(options: argparse.Namespace) -> int:
    """Do it."""
    if options.open:
        write_data(_open(_ask("stored form: ")) + "\n")
        return CLEAN
    text = _ask("password: ")
    if sys.stdin.isatty() and _ask("again: ") != text:
        raise UserError("the two passwords differ; nothing was made")
    if not text:
        raise UserError("no password was typed; an empty password is written: password none")
    if "\0" in text:
        raise UserError("a password cannot hold a zero byte")
    made = {
        "readable": lambda: _quoted(text),
        "masked": lambda: mask(text),
        "hashed": lambda: hash_text(text),
    }
    write_data(f"password {options.form} {made[options.form]()}\n")
    return CLEAN


def _ask(prompt: str) -> str:
    """One line, without echo where somebody types it."""
    try:
        if sys.stdin.isatty():
            return getpass.getpass(prompt)
        return sys.stdin.readline().rstrip("\r\n")
    except EOFError:
        return ""
    except UnicodeDecodeError:
        raise UserError("what was typed is not UTF-8 text") from None


def _open(stored: str) -> str:
    words = stored.split()
    if words[:1] == ["password"]:
        words = words[1:]
    if len(words) == 1:
        words = ["masked" if words[0].startswith("~") else "hashed", words[0]]
    if len(words) != 2 or words[0] not in {form.value for form in Form}:
        raise UserError("not a stored form; write it as a sheet does, like masked ~2p2q4icplwbq")
    form = Form(words[0])
    if form is Form.MASKED:
        try:
            return unmask(words[1])
        except ValueError as wrong:
            raise UserError(str(wrong)) from None
    text = plain_text(StoredSecret(form, words[1]))
    if text is None:
        raise UserError(f"the form {form.value} cannot be decoded; overhang login can try passwords against it")
    return text


def _quoted(text: str) -> str:
    import json

    if any(character in text for character in ' \t#"\\') or not text.isprintable():
        return json.dumps(text, ensure_ascii=False)
    return text
