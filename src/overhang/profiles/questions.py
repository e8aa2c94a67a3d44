"""The plain question that each key of a profile answers, and how to find the answer on a device."""

from typing import NamedTuple


class Question(NamedTuple):
    """``text`` is the question, ``values`` says what may answer it, and ``how`` where to find out."""

    text: str
    values: str
    how: str


QUESTIONS: dict[str, Question] = {
    "unsaid-console": Question(
        "If nothing is said of the console, what does it ask for?",
        "`nothing`, `password` (its own), `users` (a local account), `refuse` (no login)",
        "connect to it after a reset",
    ),
    "unsaid-auxiliary": Question(
        "If nothing is said of the auxiliary port, what does it ask for?",
        "`nothing`, `password` (its own), `users` (a local account), `refuse` (no login)",
        "connect to it after a reset",
    ),
    "unsaid-vty": Question(
        "If nothing is said of a VTY, or of a service with places of its own, what does it ask for?",
        "`nothing`, `password` (its own), `users` (a local account), `refuse` (no login)",
        "enable one way, connect",
    ),
    "no-password-set": Question(
        "If a password is asked for and none was ever set, is the connection dropped, or does everybody get in?",
        "`refuse`, `admit`",
        "require a password, set none, connect",
    ),
    "unsaid-accept": Question(
        "Which ways does a VTY accept if that is not said?",
        "`ssh`, `telnet`, both, `nothing`",
        "connect by each",
    ),
    "vtys": Question(
        "How many VTYs are there if none is named?",
        "a number, 0 to 256",
        "connect until one is refused; list the sessions",
    ),
    "vty-pick": Question(
        "Does a connection get the first free VTY that accepts its way, or the first free one at all?",
        "`accepting`, `first-free`",
        "let VTY 0 accept SSH alone, connect by Telnet",
    ),
    "unsaid-ssh": Question(
        "If nothing is said of SSH, does the device answer it?",
        "`on`, `off`",
        "connect after a reset",
    ),
    "unsaid-telnet": Question(
        "If nothing is said of Telnet, does the device answer it?",
        "`on`, `off`",
        "connect after a reset",
    ),
    "unsaid-http": Question(
        "If nothing is said of HTTP, does the device answer it?",
        "`on`, `off`",
        "open it in a browser",
    ),
    "unsaid-https": Question(
        "If nothing is said of HTTPS, does the device answer it?",
        "`on`, `off`",
        "open it in a browser",
    ),
    "unsaid-web": Question(
        "If nothing is said of it, what does web management ask for?",
        "`users`, `elevation-password`, `nothing`",
        "open it in a browser",
    ),
    "unsaid-answers": Question(
        "Do all addresses of the device answer, where nothing is said of that?",
        "`all`, `nothing`",
        "connect to each",
    ),
    "unsaid-key": Question(
        "Is there an SSH host key before one is made?",
        "`made`, `none`",
        "connect; read the client's debug output",
    ),
    "smallest-host-key": Question(
        "How many bits must an RSA or DSA host key have to be used?",
        "a number; 0 for any",
        "make a small one, connect",
    ),
    "wants-identity": Question(
        "Can a host key be made only when the device has a name and a domain?",
        "`yes`, `no`",
        "try without them",
    ),
    "unsaid-versions": Question(
        "Which versions of the protocol are spoken?",
        "`1`, `2`, `1 2`",
        "connect with each",
    ),
    "ssh-needs-users": Question(
        "Does SSH always need an account, even where the VTY asks for a shared password or nothing?",
        "`yes`, `no`",
        "require a shared password on a VTY, use SSH",
    ),
    "refused-key-costs": Question(
        "Does a key that is refused count as a wrong answer?",
        "`yes`, `no`",
        "offer several strange keys, then a right password",
    ),
    "accounts-guard": Question(
        "Does the first account turn authentication on where nothing is said of it?",
        "`yes`, `no`",
        "add one, connect at every entry",
    ),
    "factory-account": Question(
        "Which account exists until one is configured?",
        "`-` for none, or a level, `empty` or `known` for its password, and the ways",
        "the maker's quick start guide",
    ),
    "bare-tier": Question(
        "Does an empty password get in at level 1 while there is no account of level 1 to 14?",
        "`admit`, `deny`",
        "leave it empty where only level-15 accounts exist",
    ),
    "names-by-case": Question(
        "Are `lena` and `Lena` two accounts?",
        "`yes`, `no`",
        "log in with the other spelling",
    ),
    "account-without-password": Question(
        "Can an account without a password log in with whatever is typed?",
        "`deny`, `admit`",
        "make one, type anything",
    ),
    "empty-password-asked": Question(
        "Is an account with an empty password asked for it, so that a wrong one is wrong?",
        "`yes`, `no`",
        "make one, type something",
    ),
    "empty-text-counts": Question(
        "Does an empty answer count as a wrong password, towards a lock or a pause?",
        "`yes`, `no`",
        "press the enter key until it locks",
    ),
    "must-change": Question(
        "If a password has to be changed at the next login, can the person do so and go on?",
        "`admit`, `deny`",
        "mark one, log in by each way",
    ),
    "missing-role": Question(
        "What is an account whose role does not exist?",
        "`unsaid` (as if it named none), `deny`",
        "name one that is missing",
    ),
    "unsaid-via": Question(
        "By which ways may an account be used if that is not said?",
        "`all`, `nothing`, or some ways",
        "try each",
    ),
    "account-from-at-ports": Question(
        "Does an account's source list hold at the console too, where nobody comes from an address?",
        "`yes`, `no`",
        "limit one, log in at the console",
    ),
    "unsaid-lock": Question(
        "When is an account locked if nothing is said of it?",
        "`-` for never, or `5m after 3`",
        "count wrong passwords",
    ),
    "lock-stops-keys": Question(
        "Does a locked account still take its public keys?",
        "`yes` (it does not), `no`",
        "lock it, then log in by key",
    ),
    "missing-methods": Question(
        "What does a method list do that does not exist?",
        "`deny`, `general` (the default list is asked), `users` (local accounts), `admit`",
        "name one that is missing",
    ),
    "missing-list": Question(
        "What does a source list do that does not exist?",
        "`allow`, `deny`",
        "name one, connect from inside and outside",
    ),
    "missing-group": Question(
        "What does a server group do that does not exist?",
        "`next` (no answer), `reject`",
        "name one in a method list",
    ),
    "no-accounts": Question(
        "In a method list, what if the device has no account?",
        "`next`, `reject`",
        "put accounts before another method",
    ),
    "unknown-account": Question(
        "In a method list, what if no account has the name?",
        "`next`, `reject`",
        "the same, with an unknown name",
    ),
    "policy-order": Question(
        "If several policies hold, which counts?",
        "`first`, `last`, `exact` (the one with the most conditions)",
        "write two that differ in their level",
    ),
    "unsaid-account-level": Question(
        "Which level has an account that states none?",
        "`-` (that of the place), 0 to 15",
        "log in and show the level",
    ),
    "unsaid-level": Question(
        "Which level has a remote login by default?",
        "0 to 15",
        "log in and show the level",
    ),
    "unsaid-level-console": Question(
        "Which level has a login at the console or auxiliary port by default?",
        "0 to 15",
        "log in and show the level",
    ),
    "lists-carry-level": Question(
        "Does a login through a method list keep the account's or server's level?",
        "`yes`, `no`",
        "compare with a login without a list",
    ),
    "elevates": Question(
        "How does one elevate?",
        "`secret` (a password for the level), `tiers` (any password gives its own level), "
        "`accounts` (another account), `no`",
        "try",
    ),
    "bare-elevation-console": Question(
        "If no password for the level is set, can one elevate at the console all the same?",
        "`admit`, `deny`",
        "try",
    ),
    "bare-elevation-remote": Question(
        "If no password for the level is set, can one elevate from remote all the same?",
        "`admit`, `deny`",
        "try",
    ),
    "bare-elevation-level": Question(
        "If no password for the level is set, which level does an elevation reach?",
        "`-` (the one asked for), 0 to 15",
        "ask for several",
    ),
    "unsaid-tries": Question(
        "After how many wrong answers is a connection closed?",
        "a number from 1",
        "count them",
    ),
    "elevation-tries": Question(
        "After how many wrong answers is an elevation refused?",
        "a number from 1",
        "count them",
    ),
    "failed-elevation-closes": Question(
        "Does a failed elevation close the session?",
        "`yes`, `no`",
        "fail once",
    ),
    "unsaid-idle": Question(
        "After how long without input does a session end?",
        "a time, or `never`",
        "wait with a watch",
    ),
}
