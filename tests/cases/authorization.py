"""Sections 3 and 4, landing and elevating; locks; unread statements and unknown keys."""

CASES = """
= landing: an account's own level, its role's, then the place's
role chief:
    level 9
role empty:
user own:
    password none
    level 4
    role chief
user byrole:
    password none
    role chief
user norole:
    password none
    role nobody
user emptyrole:
    password none
    role empty
entry console:
    check users
    level 6
> via console name own
< admitted 4 by line 5
> via console name byrole
< admitted 9 by line 9
> via console name norole
< admitted 6 by line 12
> via console name emptyrole
< admitted 6 by line 15

= landing: what an account without a level has
% entry-first unsaid-account-level=11
user lena:
    password none
    role nobody
entry console:
    check users
    level 6
> via console name lena
< admitted 11 by line 2

= landing: the service's level before the entry's, then unsaid
telnet:
    level 5
entry vty 0-11:
    check nothing
    level 3
entry console:
    check nothing
> via telnet from 192.0.2.1
< admitted 5 by line 4
> via console
< admitted 1 by line 7

= landing: the entry's level
entry vty 0-11:
    check nothing
    level 3
> via telnet from 192.0.2.1
< admitted 3 by line 2

= landing: unsaid at the ports and elsewhere
% entry-first unsaid-level=2 unsaid-level-console=14 unsaid-vty=nothing
device a:
> via console
< admitted 14 by key unsaid-console
> via auxiliary
< admitted 14 by key unsaid-auxiliary
> via telnet from 192.0.2.1
< admitted 2 by key unsaid-vty

= landing: an account that was not asked has no part
user lena:
    password none
    level 15
entry console:
    check nothing
> via console name lena
< admitted 1 by line 5

= landing: lists do not carry levels
methods for login:
    users
user lena:
    password none
    level 9
entry vty 0-11:
    level 2
> via console name lena
< admitted 1 by line 4
> via telnet from 192.0.2.1 name lena
< admitted 2 by line 4

= landing: lists carry the levels that the list for level names, at the console where it asks
methods for login:
    users
methods for level:
    users
user lena:
    password none
    level 9
entry vty 0-11:
    level 2
> via console name lena
< admitted 1 by line 6
> via telnet from 192.0.2.1 name lena
< admitted 9 by line 6
> via auxiliary name lena
< admitted 9 by line 6

= landing: the console asks for levels
methods for login:
    users
methods for level:
    users
user lena:
    password none
    level 9
entry console:
    level asked
> via console name lena
< admitted 9 by line 6

= landing: a level set at the console holds whatever the list for level names
methods for login:
    users
methods for level:
    users
user lena:
    password none
    level 9
entry console:
    level 5
> via console name lena
< admitted 5 by line 6

= landing: a level is asked at the console, but the list for level does not name the place
methods for login:
    users
methods for level:
    servers g
user lena:
    password none
    level 9
entry console:
    level asked
> via console name lena
< admitted 1 by line 6

= landing: a server's level, and a server that gives none
% entry-first lists-carry-level=yes unsaid-account-level=4
servers radius g:
    server 192.0.2.50
methods for login:
    servers g
> via console name lena pw x held g/lena/x/8
< admitted 8 by line 4
> via console name lena pw x held g/lena/x
< admitted 4 by line 4

= landing: a server's level is not carried
servers radius g:
    server 192.0.2.50
methods for login:
    servers g
methods for level:
    users
> via telnet from 192.0.2.1 name lena pw x held g/lena/x/8
< admitted 1 by line 4

= landing: a server's level is carried
servers radius g:
    server 192.0.2.50
methods for login:
    servers g
methods for level:
    servers g
> via telnet from 192.0.2.1 name lena pw x held g/lena/x/8
< admitted 8 by line 4

= landing: a check for users carries levels whatever lists do
user lena:
    password none
    level 9
entry console:
    check users
> via console name lena
< admitted 9 by line 2

= landing: a missing list that means users is no list
% entry-first missing-methods=users
user lena:
    password none
    level 9
entry console:
    check methods nowhere
> via console name lena
< admitted 9 by line 2

= landing: the web has no entry, and an account its level
web:
    http on
    check users
user lena:
    password none
    level 9
user omar:
    password none
> via http from 192.0.2.1 name lena
< admitted 9 by line 5
> via http from 192.0.2.1 name omar
< admitted 1 by line 8

= elevation: at or above the level already
entry console:
    check nothing
    level 9
> via console elevate 9
< admitted 9 after 9 granted by line 3
> via console elevate 3
< admitted 9 after 9 granted by line 3

= elevation: there is none on the web
web:
    http on
    check nothing
elevation 15:
    password readable top
> via http from 192.0.2.1 elevate 15 epw top
< admitted 1 after 1 denied by attempt via

= elevation: by the secret
entry console:
    check nothing
elevation 15:
    password readable top
elevation 7:
    password none
> via console elevate 15 epw top
< admitted 15 after 1 granted by line 4
> via console elevate 15 epw x
< admitted 1 after 1 denied by line 4
> via console elevate 15
< admitted 1 after 1 denied by attempt elevate_password
> via console elevate 7
< admitted 7 after 1 granted by line 6
> via console elevate 15 knows elevation:15
< admitted 15 after 1 granted by line 4
> via console elevate 15 epw a epw b epw top
< admitted 1 after 1 denied by key elevation-tries
> via console elevate 15 epw a epw top
< admitted 15 after 1 granted by line 4

= elevation: four tries
% entry-first elevation-tries=4
entry console:
    check nothing
elevation 15:
    password readable top
> via console elevate 15 epw a epw b epw c epw top
< admitted 15 after 1 granted by line 4
> via console elevate 15 epw a epw b epw c epw d epw top
< admitted 1 after 1 denied by key elevation-tries

= elevation: fewer tries
% entry-first elevation-tries=1
entry console:
    check nothing
elevation 15:
    password readable top
> via console elevate 15 epw a epw top
< admitted 1 after 1 denied by key elevation-tries

= elevation: the one-way password counts, the readable one does not
entry console:
    check nothing
elevation 15:
    password readable old
    password hashed $1$quay$zQXgVMSWlVChlq5cuDI.L0
> via console elevate 15 epw boat
< admitted 15 after 1 granted by line 5
> via console elevate 15 epw old
< admitted 1 after 1 denied by line 5

= elevation: none set, at the console and elsewhere
entry vty 0-11:
    check nothing
> via console elevate 15
< admitted 15 after 1 granted by key bare-elevation-console
> via auxiliary elevate 15
< admitted 1 after 1 denied by key bare-elevation-remote
> via telnet from 192.0.2.1 elevate 15
< admitted 1 after 1 denied by key bare-elevation-remote

= elevation: none set, the other way round
% entry-first bare-elevation-console=deny bare-elevation-remote=admit
entry vty 0-11:
    check nothing
> via console elevate 15
< admitted 1 after 1 denied by key bare-elevation-console
> via telnet from 192.0.2.1 elevate 15
< admitted 15 after 1 granted by key bare-elevation-remote

= elevation: nobody elevates
% entry-first elevates=no
elevation 15:
    password readable top
> via console elevate 15 epw top
< admitted 1 after 1 denied by key elevates

= elevation: by tiers, the highest that opens
% entry-first elevates=tiers
elevation 5:
    password readable five
elevation 9:
    password readable nine
elevation 15:
    password readable top
> via console elevate 5 epw nine
< admitted 9 after 1 granted by line 4
> via console elevate 15 epw five
< admitted 5 after 1 denied by line 2
> via console elevate 15 epw five epw top
< admitted 15 after 1 granted by line 6
> via console elevate 15 epw x
< admitted 1 after 1 denied by key elevates
> via console elevate 15 knows elevation:9
< admitted 9 after 1 denied by line 4

= elevation: by tiers, none set
% entry-first elevates=tiers
device a:
> via console elevate 15
< admitted 15 after 1 granted by key bare-elevation-console
> via auxiliary elevate 15
< admitted 1 after 1 denied by key bare-elevation-remote

= elevation: by accounts
% entry-first elevates=accounts
user lena:
    password readable gull
    level 15
    via ssh
user omar:
    password readable tern
    level 1
entry console:
    check nothing
> via console elevate 15 ename lena epw gull
< admitted 15 after 1 granted by line 2
> via console name lena elevate 15 epw gull
< admitted 15 after 1 granted by line 2
> via console name lena elevate 15 ename omar epw tern
< admitted 1 after 1 denied by line 6
> via console elevate 15 epw gull
< admitted 1 after 1 denied by attempt name

= elevation: by accounts, none of the level that can be used
% entry-first elevates=accounts
user lena:
    password readable gull
    level 15
    disabled
user ines:
    password readable crab
    level 15
    expires 2026-05-31
user omar:
    password readable tern
    level 1
> via console elevate 15
< admitted 15 after 1 granted by key elevates

= elevation: the list that the entry names, the service's before it, then the list for all
methods a for elevation:
    nothing
methods b for elevation:
    reject
methods for elevation:
    elevation-password
telnet:
    elevation methods b
entry console:
    elevation methods a
entry vty 0-11:
    check nothing
    elevation methods a
elevation 15:
    password readable top
> via console elevate 15
< admitted 15 after 1 granted by line 2
> via telnet from 192.0.2.1 elevate 15
< admitted 1 after 1 denied by line 4
> via auxiliary elevate 15 epw top
< admitted 15 after 1 granted by line 15

= elevation: a list that is missing denies
entry console:
    elevation methods nowhere
elevation 15:
    password readable top
> via console elevate 15 epw top
< admitted 1 after 1 denied by line 2

= elevation: a list that is missing is the list for all
% entry-first missing-methods=general
entry console:
    elevation methods nowhere
methods for elevation:
    nothing
> via console elevate 15
< admitted 15 after 1 granted by line 4

= elevation: a list that is missing is the accounts
% entry-first missing-methods=users
entry console:
    elevation methods nowhere
user lena:
    password readable gull
    level 15
> via console elevate 15 ename lena epw gull
< admitted 15 after 1 granted by line 4

= elevation: by list, accounts must be high enough and the entry's password will do
methods for elevation:
    users
    entry-password
entry console:
    check nothing
    password readable boat
user lena:
    password readable gull
    level 7
> via console elevate 7 ename lena epw gull
< admitted 7 after 1 granted by line 8
> via console elevate 15 ename lena epw gull
< admitted 1 after 1 denied by line 8
> via console elevate 15 ename omar epw boat
< admitted 15 after 1 granted by line 6

= elevation: by list, a server must give the level or none
servers tacacs g:
    server 192.0.2.50
methods for elevation:
    servers g
    elevation-password
elevation 9:
    password readable nine
entry console:
    check nothing
> via console name lena elevate 9 epw x held g/lena/x
< admitted 9 after 1 granted by line 4
> via console name lena elevate 9 epw x held g/lena/x/9
< admitted 9 after 1 granted by line 4
> via console name lena elevate 9 epw x held g/lena/x/8
< admitted 1 after 1 denied by line 4
> via console name lena elevate 9 epw nine down 192.0.2.50
< admitted 9 after 1 granted by line 7
> via console name lena elevate 8 epw nine down 192.0.2.50
< admitted 1 after 1 denied by line 3

= elevation: the login's password is not reused
entry console:
    check password
    password readable top
elevation 15:
    password readable top
> via console pw top elevate 15
< admitted 1 after 1 denied by attempt elevate_password

= lock: after so many failures, for so long
passwords:
    lock 60s after 2
entry console:
    check users
user lena:
    password readable gull
user omar:
    password readable tern
> via console name lena pw x at 0
< denied by line 6
> via console name lena pw y at 10
< denied by line 6
> via console name lena pw gull at 69
< denied by line 2
> via console name omar pw tern at 69
< admitted 1 by line 8
> via console name lena pw gull at 70
< admitted 1 by line 6

= lock: a right password sets the count to zero, and so does reset
passwords:
    lock forever after 2
entry console:
    check users
user lena:
    password readable gull
> via console name lena pw x at 0
< denied by line 6
> via console name lena pw gull at 1
< admitted 1 by line 6
> via console name lena pw x at 2
< denied by line 6
> via console name lena pw gull at 3
< admitted 1 by line 6
> via console name lena pw x pw y pw gull at 4
< denied by line 2
> via console name lena pw gull at 900000
< denied by line 2
> via console name lena pw gull at 900001 reset
< admitted 1 by line 6

= lock: nothing and the empty text never count, and an account that is locked counts no tries
passwords:
    lock 10s after 2 in 60s
entry console:
    check users
user lena:
    password readable gull
> via console name lena at 0
< denied by attempt password
> via console name lena pw "" at 0
< denied by line 6
> via console name lena pw x at 0
< denied by line 6
> via console name lena pw x at 60
< denied by line 6
> via console name lena pw gull at 61
< admitted 1 by line 6

= lock: tries against a locked account do not count
passwords:
    lock 10s after 1
entry console:
    check users
user lena:
    password readable gull
> via console name lena pw x at 0
< denied by line 6
> via console name lena pw x at 9
< denied by line 2
> via console name lena pw gull at 10
< admitted 1 by line 6

= lock: unsaid
% entry-first "unsaid-lock=7m after 4"
entry console:
    check users
user lena:
    password readable gull
> via console name lena pw a pw b pw c pw d at 0
< denied by key unsaid-tries
> via console name lena pw gull at 419
< denied by key unsaid-lock
> via console name lena pw gull at 420
< admitted 1 by line 4

= lock: a locked account takes no key
% entry-first lock-stops-keys=yes
ssh: host-key ed25519
entry vty 0-11:
    check users
passwords: lock 60s after 2
user lena:
    password readable gull
    public-key ssh-ed25519 AAAA
> via ssh from 192.0.2.1 name lena pw x pw y at 0
< denied by line 6
> via ssh from 192.0.2.1 name lena knows key:lena at 1
< denied by line 4

= lock: a locked account still takes its keys
% entry-first lock-stops-keys=no
ssh: host-key ed25519
entry vty 0-11:
    check users
passwords: lock 60s after 2
user lena:
    password readable gull
    public-key ssh-ed25519 AAAA
> via ssh from 192.0.2.1 name lena pw x pw y at 0
< denied by line 6
> via ssh from 192.0.2.1 name lena knows key:lena at 1
< admitted 1 by line 7
> via ssh from 192.0.2.1 name lena pw gull at 2
< denied by line 4

= lock: elevation with an account's password counts
% entry-first elevates=accounts
passwords:
    lock forever after 2
entry console:
    check users
user lena:
    password readable gull
    level 15
user omar:
    password readable tern
    level 1
> via console name omar pw tern elevate 15 ename lena epw x epw y
< admitted 1 after 1 denied by key elevation-tries
> via console name lena pw gull
< denied by line 2

= lock: a failure in doubt puts the lock in doubt
passwords:
    lock forever after 1
entry console:
    check users
user lena:
    password opaque 8f2a
> via console name lena pw x
< unknown by line 6
> via console name lena knows user:lena
< unknown by line 2

= doubt: both answers end alike, so there is none
methods for login:
    nothing
entry console:
    check methods
    password opaque 8f2a
> via console pw x
< admitted 1 by line 2

= doubt: the login is sure and the elevation is not
elevation 15:
    password opaque 8f2a
> via console elevate 15 epw x
< admitted after 1 unknown by line 2
"""
