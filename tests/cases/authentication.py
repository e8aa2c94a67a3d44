"""Section 2, checking, row by row; and what of the knowledge and of doubt belongs to it."""

CASES = """
= check: the service's, else the entry's, else the list for all, else unsaid
telnet:
    check nothing
methods for login:
    reject
entry console:
    check password
    password readable boat
entry vty 0-11:
    check password
> via telnet from 192.0.2.1
< admitted 1 by line 2
> via console pw boat
< admitted 1 by line 7
> via auxiliary
< denied by line 4

= check: unsaid at the console
% entry-first unsaid-console=password unsaid-auxiliary=users
entry console:
    password readable boat
user lena:
    password readable gull
> via console pw boat
< admitted 1 by line 2
> via auxiliary name lena pw gull
< admitted 1 by line 4

= check: unsaid users at the console, password at the auxiliary port, nothing at a VTY
% entry-first unsaid-console=users unsaid-auxiliary=password unsaid-vty=nothing
user lena:
    password readable gull
> via console name lena pw gull
< admitted 1 by line 2
> via auxiliary
< dropped by key unsaid-auxiliary
> via telnet from 192.0.2.1
< admitted 1 by key unsaid-vty

= check: unsaid users at a VTY
% entry-first unsaid-vty=users
user lena:
    password readable gull
> via telnet from 192.0.2.1 name lena pw gull
< admitted 1 by line 2

= check: the web has lists of its own
methods for login:
    nothing
web:
    http on
methods for web:
    reject
> via http from 192.0.2.1
< denied by line 6

= check: unsaid on the web
% entry-first unsaid-web=users
web:
    http on
user lena:
    password readable gull
> via http from 192.0.2.1 name lena pw gull
< admitted 1 by line 4

= check: the web asks for the password for level 15
web:
    http on
elevation 15:
    password readable top
> via http from 192.0.2.1 pw top
< admitted 15 by line 4
> via http from 192.0.2.1 pw bottom
< denied by line 4

= check: the web asks for the password for level 15, and none is set
web:
    http on
> via http from 192.0.2.1
< denied by key bare-elevation-remote

= check: the web asks for the password for level 15, none is set, and that admits
% entry-first bare-elevation-remote=admit
web:
    http on
> via http from 192.0.2.1
< admitted 15 by key bare-elevation-remote

= accounts guard what is unsaid, once there are some
% entry-first accounts-guard=yes unsaid-web=nothing unsaid-auxiliary=nothing
user lena:
    password readable gull
web:
    http on
> via console
< denied by attempt name
> via console name lena pw gull
< admitted 1 by line 2
> via telnet from 192.0.2.1 name lena pw gull
< admitted 1 by line 2
> via http from 192.0.2.1 name lena pw gull
< admitted 1 by line 2
> via auxiliary
< admitted 1 by key unsaid-auxiliary

= accounts guard nothing where there are none, and nothing that is said
% entry-first accounts-guard=yes
entry vty 0-11:
    check nothing
> via console
< admitted 1 by key unsaid-console
> via telnet from 192.0.2.1
< admitted 1 by line 2

= nothing over SSH is users, where SSH needs them
ssh:
    host-key ed25519
entry vty 0-11:
    check nothing
user lena:
    password readable gull
> via ssh from 192.0.2.1 name lena pw gull
< admitted 1 by line 6
> via ssh from 192.0.2.1 name lena pw x
< denied by line 6
> via telnet from 192.0.2.1
< admitted 1 by line 4

= nothing and a password over SSH, where SSH does not need users
% entry-first ssh-needs-users=no
ssh:
    host-key ed25519
entry vty 0-3:
    check nothing
entry vty 4-15:
    check password
    password readable boat
> via ssh from 192.0.2.1
< admitted 1 by line 4
> via ssh from 192.0.2.1 busy 0-3 pw boat
< admitted 1 by line 7

= a password over SSH is denied whatever is typed, where SSH needs users
ssh:
    host-key ed25519
entry vty 0-11:
    check password
    password readable boat
> via ssh from 192.0.2.1 pw boat
< denied by key ssh-needs-users
> via ssh from 192.0.2.1
< denied by key ssh-needs-users

= password: right, wrong, nothing
entry console:
    check password
    password readable boat
> via console pw boat
< admitted 1 by line 3
> via console pw Boat
< denied by line 3
> via console
< denied by attempt password

= password: asked and none set, dropped
entry console:
    check password
> via console pw boat
< dropped by line 2

= password: asked and none set, admitted
% entry-first no-password-set=admit
entry console:
    check password
> via console
< admitted 1 by key no-password-set

= password: a VTY has that of the statement that gave it
entry vty 0-3:
    check password
    password readable boat
entry vty 2:
    password readable quay
> via telnet from 192.0.2.1 busy 0-1 pw boat
< denied by line 5
> via telnet from 192.0.2.1 busy 0-1 pw quay
< admitted 1 by line 5
> via telnet from 192.0.2.1 busy 0-1 knows "entry:vty 0-3"
< denied by attempt password
> via telnet from 192.0.2.1 busy 0-1 knows "entry:vty 2"
< admitted 1 by line 5
> via telnet from 192.0.2.1 busy 0-2 knows "entry:vty 0-3"
< admitted 1 by line 3

= forms: masked, hashed and RFC 7317's plain one are compared
entry console:
    check password
    password masked ~2p2q4icplwbq
entry auxiliary:
    check password
    password hashed $1$quay$zQXgVMSWlVChlq5cuDI.L0
user lena:
    password hashed $0$gull
entry vty 0-11:
    check users
> via console pw harbour
< admitted 1 by line 3
> via console pw ~2p2q4icplwbq
< denied by line 3
> via auxiliary pw boat
< admitted 1 by line 6
> via auxiliary pw quay
< denied by line 6
> via telnet from 192.0.2.1 name lena pw gull
< admitted 1 by line 8

= forms: what cannot be compared is in doubt only when something is typed
entry console:
    check password
    password opaque 8f2a
entry auxiliary:
    check password
    password withheld
entry vty 0-11:
    check password
    password masked-elsewhere 8f2a
> via console
< denied by attempt password
> via console pw boat
< unknown by line 3
> via console knows entry:console
< admitted 1 by line 3
> via auxiliary pw boat
< unknown by line 6
> via telnet from 192.0.2.1 pw boat
< unknown by line 9

= forms: a factory password opens to whatever is typed, and to who types nothing here, since everybody knows it
entry console:
    check password
    password factory
> via console pw anything
< admitted 1 by line 3
> via console
< admitted 1 by line 3

= users: none on the device
entry console:
    check users
> via console name lena pw gull
< denied by line 2

= users: an unknown name, no name, and names are compared exactly
entry console:
    check users
user lena:
    password readable gull
> via console name Lena pw gull
< denied by line 2
> via console pw gull
< denied by attempt name
> via console name lena pw gull
< admitted 1 by line 4
> via console name lena
< denied by attempt password

= users: disabled comes before expired, expired before the rest
entry console:
    check users
user lena:
    password readable gull
    expires 2026-05-31
    disabled
user omar:
    password readable gull
    expires 2026-05-31
    via ssh
user ines:
    password readable gull
    expires 2026-06-01
> via console name lena pw gull
< denied by line 6
> via console name omar pw gull
< denied by line 9
> via console name ines pw gull now 2026-06-01T23:59:59
< admitted 1 by line 12
> via console name ines pw gull now 2026-06-02T00:00:00
< denied by line 13

= users: ways and sources
entry vty 0-11:
    check users
    accept telnet
user lena:
    password readable gull
    via console
    from office
user omar:
    password readable gull
    via telnet
    from office
sources office:
    allow 10.64.1.0/24
> via telnet from 10.64.1.5 name lena pw gull
< denied by line 6
> via telnet from 10.64.1.5 name omar pw gull
< admitted 1 by line 9
> via telnet from 192.0.2.1 name omar pw gull
< denied by line 12
> via telnet name omar pw gull
< unknown by attempt from

= users: unsaid ways, none at all
% entry-first unsaid-via=nothing
entry console:
    check users
user lena:
    password readable gull
> via console name lena pw gull
< denied by key unsaid-via

= users: unsaid ways, some
% entry-first "unsaid-via=console ssh"
entry console:
    check users
entry vty 0-11:
    check users
user lena:
    password readable gull
> via console name lena pw gull
< admitted 1 by line 6
> via telnet from 192.0.2.1 name lena pw gull
< denied by key unsaid-via

= users: without a password by key only
entry console:
    check users
user lena:
    level 3
> via console name lena pw gull
< denied by line 3

= users: an empty password passes with nothing or the empty text, over SSH only where that is said
ssh:
    host-key ed25519
entry console:
    check users
entry vty 0-11:
    check users
user lena:
    password none
user omar:
    password readable ""
> via console name lena
< admitted 1 by line 8
> via console name lena pw ""
< admitted 1 by line 8
> via console name omar
< admitted 1 by line 10
> via console name lena pw x
< denied by line 8
> via ssh from 192.0.2.1 name lena
< denied by line 8
> via telnet from 192.0.2.1 name lena
< admitted 1 by line 8

= users: empty passwords over SSH, allowed
ssh:
    host-key ed25519
    empty-passwords yes
entry vty 0-11:
    check users
user lena:
    password none
> via ssh from 192.0.2.1 name lena
< admitted 1 by line 7

= users: empty passwords over SSH, forbidden in so many words
ssh:
    host-key ed25519
    empty-passwords no
entry vty 0-11:
    check users
user lena:
    password none
> via ssh from 192.0.2.1 name lena
< denied by line 3

= users: the hash of an empty text is an empty password over SSH
ssh:
    host-key ed25519
    empty-passwords no
entry vty 0-11:
    check users
user lena:
    password hashed $1$quay$k2n9f6JiaSWO/r0jwJcBd0
> via ssh from 192.0.2.1 name lena pw ""
< denied by line 3
> via telnet from 192.0.2.1 name lena pw ""
< admitted 1 by line 7

= users: nameless accounts are tried in the sheet's order
entry console:
    check users
user night:
    password readable boat
    any-name
    level 3
user day:
    password readable quay
    any-name
    level 5
user lena:
    password readable gull
> via console pw boat
< admitted 3 by line 4
> via console name whoever pw quay
< admitted 5 by line 8
> via console name day pw boat
< denied by line 8
> via console name lena pw boat
< denied by line 12
> via console pw x
< denied by line 8

= users: a factory account while none is stated
% entry-first "factory-account=15 empty console" unsaid-console=users
entry vty 0-11:
    check users
> via console name anybody
< admitted 15 by key factory-account
> via console name anybody pw ""
< admitted 15 by key factory-account
> via console
< admitted 15 by key factory-account
> via console name anybody pw x
< denied by key factory-account
> via telnet from 192.0.2.1 name anybody
< denied by key factory-account

= users: a factory account with a known password
% entry-first "factory-account=7 known all"
entry console:
    check users
> via console name anybody pw whatever
< admitted 7 by key factory-account
> via console name anybody
< admitted 7 by key factory-account

= users: no factory account any more
% entry-first "factory-account=15 empty console" unsaid-console=users
user lena:
    password readable gull
> via console name anybody
< denied by key unsaid-console

= users: the bare tier lets the empty password in
% entry-first bare-tier=admit
entry console:
    check users
user lena:
    password readable gull
    level 15
> via console
< admitted 1 by key bare-tier
> via console name lena pw ""
< admitted 1 by key bare-tier
> via console name lena pw gull
< admitted 15 by line 4
> via console pw x
< denied by attempt name

= users: the bare tier is closed by an account of level 1 to 14
% entry-first bare-tier=admit
entry console:
    check users
user lena:
    password readable gull
    level 1
> via console
< denied by attempt name

= SSH with a key: passes before the check, whatever it is
ssh:
    host-key ed25519
entry vty 0-11:
    check password
user lena:
    level 4
    public-key ssh-ed25519 AAAA
> via ssh from 192.0.2.1 name lena key AAAA
< admitted 4 by line 7
> via ssh from 192.0.2.1 name lena knows key:lena
< admitted 4 by line 7
> via ssh from 192.0.2.1 name lena key BBBB
< denied by key ssh-needs-users
> via ssh from 192.0.2.1 name omar key AAAA
< denied by key ssh-needs-users

= SSH with a key: the account must be usable
ssh:
    host-key ed25519
entry vty 0-11:
    check users
user lena:
    public-key ssh-ed25519 AAAA
    disabled
> via ssh from 192.0.2.1 name lena key AAAA
< denied by line 7

= SSH with a key: set aside, it costs no try and the check goes on
ssh:
    host-key ed25519
    tries 1
entry vty 0-11:
    check users
user lena:
    public-key ssh-ed25519 AAAA
    password readable gull
> via ssh from 192.0.2.1 name lena key BBBB pw gull
< admitted 1 by line 8

= SSH with a key: passwords only
ssh:
    host-key ed25519
    login password
entry vty 0-11:
    check users
user lena:
    public-key ssh-ed25519 AAAA
    password readable gull
> via ssh from 192.0.2.1 name lena key AAAA
< denied by attempt password
> via ssh from 192.0.2.1 name lena pw gull
< admitted 1 by line 8

= SSH with a key: keys only
ssh:
    host-key ed25519
    login key
entry vty 0-11:
    check nothing
user lena:
    public-key ssh-ed25519 AAAA
    password readable gull
> via ssh from 192.0.2.1 name lena key AAAA
< admitted 1 by line 7
> via ssh from 192.0.2.1 name lena pw gull
< denied by line 3

= SSH with a key: both
ssh:
    host-key ed25519
    login both
entry vty 0-11:
    check users
user lena:
    public-key ssh-ed25519 AAAA
    password readable gull
> via ssh from 192.0.2.1 name lena key AAAA pw gull
< admitted 1 by line 8
> via ssh from 192.0.2.1 name lena key AAAA
< denied by attempt password
> via ssh from 192.0.2.1 name lena key AAAA pw x
< denied by line 8
> via ssh from 192.0.2.1 name lena pw gull
< denied by line 3

= SSH with a key: either, said
ssh:
    host-key ed25519
    login password key
entry vty 0-11:
    check users
user lena:
    public-key ssh-ed25519 AAAA
    password readable gull
> via ssh from 192.0.2.1 name lena key AAAA
< admitted 1 by line 7
> via ssh from 192.0.2.1 name lena pw gull
< admitted 1 by line 8

= methods: a named list, the list for all, and one that is missing
methods crew for login:
    users
methods for login:
    nothing
entry console:
    check methods crew
entry auxiliary:
    check methods
entry vty 0-11:
    check methods Crew
user lena:
    password readable gull
> via console name lena pw gull
< admitted 1 by line 12
> via auxiliary
< admitted 1 by line 4
> via telnet from 192.0.2.1 name lena pw gull
< denied by line 10

= methods: a missing list is the list for all
% entry-first missing-methods=general
methods for login:
    nothing
entry console:
    check methods crew
> via console
< admitted 1 by line 2

= methods: a missing list is the list for all, which is missing too
% entry-first missing-methods=general
entry console:
    check methods crew
> via console
< denied by line 2

= methods: a missing list is the accounts
% entry-first missing-methods=users
entry console:
    check methods crew
user lena:
    password readable gull
> via console name lena pw gull
< admitted 1 by line 4

= methods: the list for all is named and missing
entry console:
    check methods
> via console
< denied by line 2

= methods: a list for one purpose is none for another
methods crew for elevation:
    nothing
entry console:
    check methods crew
> via console
< denied by line 4

= methods: rejected ends it, no answer goes on
servers radius g:
    server 192.0.2.50
methods for login:
    servers g
    users
user lena:
    password readable gull
> via console name lena pw gull held g/lena/other
< denied by line 4
> via console name lena pw other held g/lena/other
< admitted 1 by line 4
> via console name lena pw gull held g/omar/x
< denied by line 4
> via console name lena pw gull held g/lena/other down 192.0.2.50
< admitted 1 by line 7

= methods: the servers in order, the first that is up answers
servers tacacs g:
    server 192.0.2.50
    server 192.0.2.51
methods for login:
    servers g
> via console name lena pw x held g/lena/x down 192.0.2.50
< admitted 1 by line 5
> via console name lena pw x held g/lena/x down 192.0.2.50 down 192.0.2.51
< denied by line 4

= methods: an undefined group and an empty one do not answer
servers radius g:
    timeout 3s
methods for login:
    servers nobody
    servers g
    nothing
> via console
< admitted 1 by line 6

= methods: what a server holds is not told
servers radius g:
    server 192.0.2.50
methods for login:
    servers g
> via console name lena pw x
< unknown by attempt servers
> via console name lena knows server:g/lena
< admitted 1 by line 4
> via console name lena
< denied by attempt password
> via console pw x
< denied by attempt name

= methods: accounts, none on the device, rejected
methods for login:
    users
    nothing
> via console name lena pw gull
< denied by line 2

= methods: accounts, none on the device, the next
% entry-first no-accounts=next
methods for login:
    users
    nothing
> via console name lena pw gull
< admitted 1 by line 3

= methods: accounts, an unknown name, the next
methods for login:
    users
    nothing
user lena:
    password readable gull
> via console name omar pw x
< admitted 1 by line 3
> via console name lena pw x
< denied by line 5

= methods: accounts, an unknown name, rejected
% entry-first unknown-account=reject
methods for login:
    users
    nothing
user lena:
    password readable gull
> via console name omar pw x
< denied by line 2

= methods: the entry's password, and none set is no answer
methods for login:
    entry-password
    nothing
entry console:
    password readable boat
> via console pw boat
< admitted 1 by line 5
> via console pw x
< denied by line 5
> via auxiliary
< admitted 1 by line 3

= methods: there is no entry behind the web
methods for web:
    entry-password
    nothing
web:
    http on
> via http from 192.0.2.1
< admitted 1 by line 3

= methods: the password for level 15, in login
methods for login:
    elevation-password
elevation 15:
    password readable top
elevation 3:
    password readable mid
> via console pw top
< admitted 1 by line 4
> via console pw mid
< denied by line 4

= methods: the password for level 15, not set
methods for login:
    elevation-password
    reject
> via console pw top
< denied by line 3

= methods: on the web the password for level 15 lands at 15
methods for web:
    elevation-password
web:
    http on
elevation 15:
    password readable top
> via http from 192.0.2.1 pw top
< admitted 15 by line 6

= methods: nothing, reject, and the end
methods a for login:
    nothing
methods b for login:
    reject
methods c for login:
    entry-password
entry console:
    check methods a
entry auxiliary:
    check methods b
entry vty 0-11:
    check methods c
> via console
< admitted 1 by line 2
> via auxiliary
< denied by line 4
> via telnet from 192.0.2.1
< denied by line 5

= methods: over SSH a list is as it is
ssh:
    host-key ed25519
methods for login:
    nothing
> via ssh from 192.0.2.1
< admitted 1 by line 4

= tries: not configured, four
entry console:
    check password
    password readable boat
> via console pw a pw b pw c pw boat
< admitted 1 by line 3
> via console pw a pw b pw c pw d pw boat
< denied by key unsaid-tries

= tries: not configured, five
% entry-first unsaid-tries=5
entry console:
    check password
    password readable boat
> via console pw a pw b pw c pw d pw boat
< admitted 1 by line 3
> via console pw a pw b pw c pw d pw e pw boat
< denied by key unsaid-tries

= tries: unsaid, one
% entry-first unsaid-tries=1
entry console:
    check password
    password readable boat
> via console pw a pw boat
< denied by key unsaid-tries

= tries: said for SSH, and only for SSH
ssh:
    host-key ed25519
    tries 2
entry vty 0-11:
    check users
user lena:
    password readable gull
> via ssh from 192.0.2.1 name lena pw a pw gull
< admitted 1 by line 7
> via ssh from 192.0.2.1 name lena pw a pw b pw gull
< denied by line 3
> via telnet from 192.0.2.1 name lena pw a pw b pw gull
< admitted 1 by line 7

= knowledge: what is known opens the lock it names and no other
entry console:
    check password
    password readable boat
entry auxiliary:
    check password
    password readable boat
> via console knows entry:console
< admitted 1 by line 3
> via auxiliary knows entry:console
< denied by attempt password
> via auxiliary knows entry:console pw boat
< admitted 1 by line 6

= SNMP: a community is one item, read or write, and limited to sources
snmp:
    on
    community readable gulls read
    community readable terns write from office
sources office:
    allow 10.64.1.0/24
> via snmp from 192.0.2.1 pw gulls
< admitted 1 by line 3
> via snmp from 192.0.2.1 knows community:1
< admitted 1 by line 3
> via snmp from 10.64.1.5 pw terns
< admitted 15 by line 4
> via snmp from 192.0.2.1 pw terns
< denied by line 5
> via snmp from 192.0.2.1 pw crabs
< denied by line 4
> via snmp from 192.0.2.1
< denied by attempt password
> via snmp from 10.64.1.5 pw gulls elevate 15
< admitted 1 after 1 denied by attempt via

= doors: a check as for the web, a level of its own
door copy:
    on
    check users
    level 7
door open:
    on
    check nothing
user lena:
    password readable gull
    level 3
user omar:
    password readable tern
> via door:copy from 192.0.2.1 name lena pw gull
< admitted 7 by line 9
> via door:copy from 192.0.2.1 name omar pw tern
< admitted 7 by line 12
> via door:open from 192.0.2.1
< admitted 1 by line 7

= doors: answers may name them and SNMP
address 192.0.2.10/24:
    answers snmp copy
door copy:
    on
    check nothing
door other:
    on
    check nothing
snmp:
    on
    community readable gulls read
> via door:copy from 192.0.2.1
< admitted 1 by line 5
> via door:other from 192.0.2.1
< refused by line 2
> via snmp from 192.0.2.1 pw gulls
< admitted 1 by line 11
"""
