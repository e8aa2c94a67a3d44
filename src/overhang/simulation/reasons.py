"""Every reason that the decision can give, each with its sentence, in one place, so that they agree with one another.

A sentence is lower case and without a full stop, the cause first. One that begins with "can't tell" names the fact that
would settle the matter. Code compares members; nothing depends on the words.
"""

import enum


class Stage(enum.StrEnum):
    """The gates of a login, in order."""

    REACHABILITY = "reachability"
    AUTHENTICATION = "authentication"
    AUTHORIZATION = "authorization"
    ELEVATION = "elevation"


class Reason(enum.StrEnum):
    """Why a step of a login ends as it does. The value is the sentence, with places for the step's arguments."""

    # reachability
    AT_PORT = "anyone at the {0} can use it"
    PORT_CLOSED = "the {0} is closed"
    PORT_REFUSES = "the {0} has no check configured, and without one it accepts no login"
    PAUSED = "remote logins are paused after {0} wrong answers"
    SPARED = "remote logins are paused, but this source is exempt"
    SERVICE_ON = "{0} is on"
    SERVICE_OFF = "{0} is off"
    NO_SUCH_DOOR = "the device has no service of this name"
    NO_NAME_FOR_KEY = "there is no SSH host key, and none can be created without a device name"
    NO_DOMAIN_FOR_KEY = "there is no SSH host key, and none can be created without a domain"
    NO_KEY = "there is no SSH host key"
    KEY_MADE = "the device creates an SSH host key by itself"
    VERSION_AGREED = "client and device agree on SSH version {0}"
    NO_VERSION = "client and device have no SSH version in common that the host keys support"
    ADDRESS_ANSWERS = "the address {0} answers {1}"
    NOT_OURS = "the device does not have this address"
    OTHER_FAMILY = "the device has no address of the source's IP version"
    ANSWERS_NOT = "the address {0} does not answer {1}"
    WRONG_VLAN = "the address {0} is not in management VLAN {1}"
    LIST_ALLOWS = "source list {0} allows the source, for {1}"
    LIST_DENIES = "source list {0} denies the source, for {1}"
    LIST_SILENT = "source list {0} has no line for the source, so it is denied, for {1}"
    LIST_MISSING_ALLOWS = "source list {0} does not exist, and a missing list allows every source, for {1}"
    LIST_MISSING_DENIES = "source list {0} does not exist, and a missing list denies every source, for {1}"
    VTY_TAKES = "VTY {0} accepts the connection"
    VTY_ACCEPTS_NOT = "no free VTY accepts {0}"
    FIRST_VTY_ACCEPTS_NOT = "the first free VTY, {0}, does not accept {1}"
    VTYS_BUSY = "all VTYs are busy"

    # authentication
    ASKS_NAME = "a username is asked for"
    ASKS_PASSWORD = "the password {0} is asked for"
    CHECK_NOTHING = "{0} asks for no password"
    CHECK_PASSWORD = "{0} asks for a password"
    CHECK_USERS = "{0} asks for a local account"
    CHECK_METHODS = "{0} uses {1}"
    CHECK_ELEVATION = "{0} asks for the enable secret"
    USERS_FOR_SSH = "SSH always needs an account, so local accounts are asked"
    PASSWORD_NOT_FOR_SSH = "SSH always needs an account, and a password alone names none"
    NO_PASSWORD_DROPPED = "a password is required but none is set, so the connection is dropped"
    NO_PASSWORD_ADMITS = "a password is required but none is set, so anyone gets in"
    RIGHT_PASSWORD = "the password {0} is correct"
    WRONG_PASSWORD = "the password {0} is wrong"
    NO_PASSWORD_NEEDED = "{0} has an empty password, so nothing needs to be typed"
    NOTHING_OFFERED = "a password is asked for and nothing is typed"
    OUT_OF_TRIES = "the connection is closed after {0} wrong answers"
    NO_ACCOUNTS = "a local account is required, and the device has none"
    NO_NAME = "a username is asked for and none is given"
    UNKNOWN_NAME = "no account has this name"
    DISABLED = "account {0} is disabled"
    EXPIRED = "account {0} has expired"
    LOCKED = "account {0} is locked after {1} wrong passwords"
    NOT_VIA = "account {0} may not log in by {1}"
    NOT_FROM = "account {0} may not log in from this source"
    KEY_ONLY = "account {0} has no password, so it can log in by key only"
    EMPTY_NOT_BY_SSH = "account {0} has an empty password, which SSH does not accept"
    BARE_TIER = "there is no account of level 1 to 14, so an empty password is accepted at level 1"
    KEY_RIGHT = "account {0} holds the offered key"
    KEY_ASIDE = "the offered key belongs to no account, so it is ignored"
    KEY_NEEDED = "SSH requires a key, and none that belongs to the account is offered"
    ELEVATION_UNSET_ADMITS = "no enable secret is set, and without one anyone gets in"
    ELEVATION_UNSET_DENIES = "no enable secret is set, and without one nobody gets in"
    COMMUNITY_RIGHT = "the community allows {0}"
    COMMUNITY_WRONG = "no community matches the one offered"
    NO_COMMUNITY = "no community is configured"
    COMMUNITY_NOT_FROM = "the community may not be used from this source"

    # method lists
    LIST_UNDEFINED_DENIES = "method list {0} does not exist, and a missing list denies everyone"
    LIST_UNDEFINED_GENERAL = "method list {0} does not exist, so the default list is used"
    LIST_UNDEFINED_USERS = "method list {0} does not exist, so local accounts are asked"
    NO_LIST_FOR_ALL = "the default method list is required, and there is none"
    GROUP_UNDEFINED = "server group {0} is not defined: no answer, so the next method is asked"
    GROUP_EMPTY = "server group {0} has no server: no answer, so the next method is asked"
    GROUP_DOWN = "no server of group {0} is up: no answer, so the next method is asked"
    SERVER_ACCEPTS = "a server of group {0} answers: accepted"
    SERVER_REJECTS = "a server of group {0} answers: rejected, which ends the list"
    SERVER_TOO_LOW = "a server of group {0} accepts with a level below {1}, which counts as a rejection"
    NO_ACCOUNTS_NEXT = "the device has no account: no answer, so the next method is asked"
    UNKNOWN_NEXT = "no account has this name: no answer, so the next method is asked"
    ENTRY_UNSET = "the entry has no password: no answer, so the next method is asked"
    ENTRY_NOT_WEB = "this way has no entry password: no answer, so the next method is asked"
    ELEVATION_UNSET = "no password for level {0} is set: no answer, so the next method is asked"
    METHOD_NOTHING = "the method nothing accepts everyone"
    METHOD_REJECT = "the method reject denies everyone"
    LIST_ENDS = "the method list ends without an answer, so the login is denied"

    # authorization
    LANDS_ACCOUNT = "account {0} has level {1}"
    LANDS_ROLE = "account {0} has level {1} by its role"
    LANDS_UNSAID_ACCOUNT = "an account without a level has level {0}"
    LANDS_SERVER = "the server gives level {0}"
    LANDS_SERVICE = "a login by {0} gets level {1}"
    LANDS_ENTRY = "a login at {0} gets level {1}"
    LANDS_UNSAID = "a login gets level {0} by default"
    LANDS_WEB = "the enable secret gives level 15"
    LANDS_COMMUNITY = "the community has level {0}"

    # elevation
    ALREADY_THERE = "level {0} is reached already"
    NOT_ON_WEB = "this way has no elevation"
    NOBODY_ELEVATES = "accounts have fixed levels on this device: there is no elevation"
    BARE_ADMITS = "no password for level {0} is set, and without one anyone can elevate here"
    BARE_DENIES = "no password for level {0} is set, and without one nobody can elevate here"
    BARE_ACCOUNTS = "no account of level {0} or higher can be used, and without one anyone can elevate"
    ACCOUNT_TOO_LOW = "account {0} is below level {1}"
    TIER_OPENED = "the password gives level {0}"
    TIER_TOO_LOW = "the password gives level {0}, which is below level {1}"
    TIERS_UNOPENED = "the password matches no level"

    # what an exploration asks itself
    EITHER = "either answer"

    # unknown
    UNSURE_PASSWORD = "can't tell whether the password {0} is correct: its stored form cannot be compared here"
    UNSURE_SERVER = "can't tell whether group {0} accepts: what its servers hold is unknown"
    UNSURE_KEY = (
        "can't tell whether the device has a suitable SSH host key: it is not in this export (host-key unknown)"
    )
    UNSURE_SOURCE = "can't tell whether source list {0} allows the source: no source address is given"
    UNSURE_FAMILY = "can't tell whether the source is IPv4 or IPv6: no source address is given"
    UNSURE_ADDRESS = "can't tell whether the device has this address: one of its addresses is assigned at run time"
    UNSURE_UNSAID = "can't tell {0}: it is not configured, and the device's default is unknown"
    UNSURE_PROFILE = "can't tell {0}: it is not configured, and the profile is unknown"
    UNSURE_UNREAD = "can't tell {0}: a statement there was not understood"
    UNSURE_LOCK = "can't tell whether {0}: an earlier answer is in doubt"
    TOO_MANY_DOUBTS = "can't tell: too many facts are unknown at once"
