"""Words of the trade, and plain words for the same things, by what they speak of: what a guess goes by.

Each row of ``FIELDS`` is a statement of a sheet that a line may mean: the kind of block it is in, the statement with a
hole for the value that it takes, what that value looks like, and the words that speak of it.
"""

from typing import NamedTuple


class FieldRow(NamedTuple):
    """A statement that a line may mean. ``value`` is the look of the value that it takes, "" where it takes none."""

    kind: str
    statement: str
    value: str
    words: frozenset[str]


#: By the kind of a block, the words that its head, or a line about it, may hold.
KINDS: dict[str, frozenset[str]] = {
    kind: frozenset(words.split())
    for kind, words in {
        "device": "device system unit box host hostname station sys name label identity apparatus this",
        "entry console": "console con serial local front chair desk wall gate post entry slot door",
        "entry auxiliary": "auxiliary aux rear back modem side second post gate",
        "entry vty": "vty line lines remote remotes terminal terminals virtual seat seats chair chairs session "
        "sessions place places gate post entry slot door doors",
        "user": "names user users account accounts person people login operator operators member members staff crew "
        "hand hands bearer who name admin officer individual employee",
        "role": "role roles class classes group groups rank ranks grade grades rights permission permissions ",
        "elevation": "elevation enable elevate privilege raise step steps rung rungs ladder climb tier tiers superuser "
        "higher rule",
        "ssh": "ssh shell secure safe secure-shell talk encrypted",
        "telnet": "telnet wire clear plain unencrypted",
        "web": "web page pages http https browser site view panel sealed gui",
        "snmp": "snmp community communities poll polling monitor watch agent keepers manager",
        "servers": "servers server radius tacacs aaa central authority asks",
        "sources": "sources source acl filter filters circle net nets network networks fence "
        "allow permit deny list lists range hosts office",
        "methods": "methods method authentication order roster ask asks sequence failing chain",
        "passwords": "passwords policy rules words strength minimum complexity",
        "management": "management lock lockout pause wrong strikes failures misses attempts log record wait",
        "address": "address interface ip port berth lan lane ethernet network net ",
        "banner": "banner greeting greet notice message welcome board words text say",
        "door": "door service services upload run file-copy copy api netconf ",
    }.items()
}

_PASSWORD = (
    "password passwd pass secret word words phrase passphrase proof key hash code pin credential enable hidden "
    "sealed ground stirred stamp long"
)
_ON = "on enable enabled active awake open burning hears yes run start up service answer answers"
_IDLE = (
    "idle timeout time-out inactivity quiet silence nap rest home-after logout minutes forget session limit idles after"
)
_CHECK = "check login ask authentication asks guard wants require requires proves method methods by users password open"
_FROM = "from source sources acl list filter past restrict limit clients for only through"
_LEVEL = "level privilege rank grade tier power may right rights class priority rung step"
_ALLOW = "allow permit accept take let in include pass add from net ip client clients"
_DENY = "deny reject block drop refuse out stop exclude turn-away forbid"

_ROWS = f"""
device | name {{}} | word | name hostname host label unit box system identity called this sys device
device | kind {{}} | kind | kind type model sort make role
device | domain {{}} | domain | domain home suffix
device | site {{}} | text | site location place where berth stands town address
device | saved {{}} | date | saved kept written changed stored
device | zone {{}} | zone | zone timezone clock
entry console | head | | console con serial local front chair
entry auxiliary | head | | auxiliary aux rear back modem side
entry vty | head | range | vty line lines remote seats seat chairs terminal virtual sessions
entry | check users | users | {_CHECK}
entry | check password | password-word | {_CHECK}
entry | check nothing | nobody | {_CHECK}
entry | check methods {{}} | word | {_CHECK} roster list order
entry | check {{}} | word | {_CHECK}
entry | password readable {{}} | word | {_PASSWORD} clear plain
entry | password hashed {{}} | hash | {_PASSWORD}
entry | level {{}} | level | {_LEVEL}
entry vty | accept {{}} | ways | accept input protocols over open open-to take takes by through
entry vty | from {{}} | word | {_FROM}
entry | idle {{}} | time | {_IDLE}
entry | idle never | never | {_IDLE} stays
entry | closed | off | closed shut disabled blocked
user | head | word | user account acc person member hand bearer login operator who people
user | password hashed {{}} | hash | {_PASSWORD}
user | password masked-elsewhere {{}} | masked | {_PASSWORD} veiled encrypted
user | password readable {{}} | word | {_PASSWORD} clear plain bare
user | password withheld | struck | {_PASSWORD}
user | level {{}} | level | {_LEVEL}
user | role {{}} | word | role rank class group grade power profile
user | via {{}} | ways | via by ways come comes through services uses
user | from {{}} | word | {_FROM}
user | disabled | off | disabled suspended locked gone off inactive retired on
user | expires {{}} | date | expires expiry until valid ends end
user | public-key {{}} {{}} | key | key public tag public-key authorized
role | head | word | role class group rank grade
role | level {{}} | level | {_LEVEL} at
elevation | head | level | enable elevation step rung tier privilege
elevation | password hashed {{}} | hash | {_PASSWORD} step rung enable tier ladder elevation
elevation | password masked-elsewhere {{}} | masked | {_PASSWORD} step rung enable tier ladder elevation
elevation | password readable {{}} | word | {_PASSWORD} step rung enable tier ladder elevation
ssh | on | on | {_ON} ssh shell
ssh | off | off | ssh shell
ssh | port {{}} | port | port hole plug listen
ssh | versions {{}} | version | version versions protocol speaks age
ssh | host-key rsa {{}} | bits | key host-key modulus bits strength
ssh | tries {{}} | number | tries strikes misses attempts retries wrong
ssh | sessions {{}} | number | sessions most at-most limit
ssh | finish-within {{}} | time | grace within login time
ssh | idle {{}} | time | {_IDLE}
ssh | from {{}} | word | {_FROM}
ssh | login {{}} | login | proves by login
ssh | check users | users | {_CHECK}
ssh | ciphers {{}} | cipher | cipher ciphers encryption algorithms
telnet | on | on | {_ON} telnet wire
telnet | off | off | telnet wire nobody
web | https on | on | {_ON} sealed https secure page web open
web | http on | on | {_ON} http plain page web open pages
web | check users | users | {_CHECK}
web | check nothing | nobody | {_CHECK}
web | idle {{}} | time | {_IDLE}
web | certificate self-signed | itself | seal certificate cert by itself self
web | certificate-key rsa {{}} | bits | strength key seal certificate
web | certificate-valid {{}} to {{}} | date | before after not-before not-after valid until from
web | https-port {{}} | port | port hole plug
snmp | community readable {{}} read | word | community word read look watch watched string
snmp | versions {{}} | version | version versions kind
snmp | on | on | {_ON} snmp
servers | head | word | servers server radius tacacs group speaks
servers | server {{}} | address | server at host address radius tacacs
servers | server {{}} port {{}} | port | port
servers | timeout {{}} | time | timeout patience wait
servers | server {{}} shared-secret masked-elsewhere {{}} | masked | secret key shared
methods | servers {{}} | word | order ask asks then roster methods
methods | users | users | order ask asks then failing roster methods
sources | allow {{}} | prefix | {_ALLOW}
sources | allow {{}} | address | {_ALLOW}
sources | deny {{}} | prefix | {_DENY}
sources | deny any | any | {_DENY}
passwords | length {{}} | number | length least minimum at-least signs characters
passwords | mask {{}} | onoff | mask hide encryption obscure
management | pause {{}} after {{}} | number | pause wait wrong shall lock
address | head | prefix | address ip at inet
address | head | address | address ip at
address | head | mask | mask reach netmask
address | faces {{}} | word | faces looks sees side zone
banner | head | text | {" ".join(sorted(KINDS["banner"]))}
door | on | on | {_ON}
door | port {{}} | port | port hole plug
door | check users | users | {_CHECK}
"""

FIELDS: tuple[FieldRow, ...] = tuple(
    FieldRow(kind.strip(), statement.strip(), value.strip(), frozenset(words.split()))
    for kind, statement, value, words in (line.split("|") for line in _ROWS.strip().splitlines())
)
