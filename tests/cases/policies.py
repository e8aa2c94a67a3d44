"""Conditions and policies, bounds, richer source lists, places of a service's own."""

CASES = """
= policies: a check for some sources
entry vty 0-11: check users
telnet: on
sources yard: allow 10.64.0.0/24
policy outside:
    for-sources yard
    for-ways telnet
    check nothing
user lena: password readable tern
> via telnet from 10.64.0.9
< admitted 1 by line 7
> via telnet from 192.0.2.1
< denied by attempt name

= policies: what the first leaves unsaid the next may say
entry console: check users
user lena:
    password readable tern
    level 9
policy one: level 3
policy two:
    level 5
    cap 4
> via console name lena pw tern
< admitted 3 by line 3

= policies: the last counts
% entry-first policy-order=last
entry console: check users
user lena:
    password readable tern
    level 9
policy one: level 3
policy two: level 5
> via console name lena pw tern
< admitted 5 by line 3

= policies: the most exact counts
% entry-first policy-order=exact
entry console: check users
user lena:
    password readable tern
    level 9
policy one: level 3
policy two:
    for-ways console
    level 5
policy three:
    for-ways console
    for-accounts lena
    level 7
> via console name lena pw tern
< admitted 7 by line 3

= policies: the first counts
% entry-first policy-order=first
entry console: check users
user lena:
    password readable tern
    level 9
policy one: level 3
policy two:
    for-ways console
    level 5
> via console name lena pw tern
< admitted 3 by line 3

= policies: all ways but some
entry console: check users
entry auxiliary: check users
user lena: password readable tern
policy ports:
    for-other-ways console
    level 3
> via console name lena pw tern
< admitted 1 by line 3
> via auxiliary name lena pw tern
< admitted 3 by line 3

= policies: at an address of the device
address 192.0.2.1:
address 198.51.100.1:
telnet: on
entry vty 0-11: check users
policy inside:
    for-addresses 192.0.2.1
    check nothing
> via telnet from 203.0.113.9 to 192.0.2.1
< admitted 1 by line 7
> via telnet from 203.0.113.9 to 198.51.100.1
< denied by line 4
> via telnet from 203.0.113.9
< unknown by attempt to

= policies: for some usernames, which are then asked for
entry console:
    check password
    password readable kelp
policy crew:
    for-accounts lena omar
    check nothing
> via console name lena
< admitted 1 by line 6
> via console name ines pw kelp
< admitted 1 by line 3

= policies: for the accounts of a role
entry console: check users
role deck:
user lena:
    password readable tern
    role deck
user omar: password readable gull
policy deck:
    for-roles deck
    level 0
> via console name lena pw tern
< admitted 0 by line 4
> via console name omar pw gull
< admitted 1 by line 6

= policies: for some VTYs
telnet: on
entry vty 0-11: check nothing
policy low:
    for-vtys 0-3
    level 0
> via telnet from 192.0.2.1
< admitted 0 by line 2
> via telnet from 192.0.2.1 busy 0-3
< admitted 1 by line 2

= policies: at some hours of the device's clock
device quay: zone Europe/Berlin
entry console: check users
user lena: password readable tern
policy night:
    for-hours 22:00-06:00 mon-fri
    refused
> via console name lena pw tern now 2026-06-01T12:00
< admitted 1 by line 3
> via console name lena pw tern now 2026-06-01T20:30
< refused by line 6
> via console name lena pw tern now 2026-06-06T03:30
< refused by line 6
> via console name lena pw tern now 2026-06-06T20:30
< admitted 1 by line 3

= policies: a source list of some ways
entry vty 0-11: check users
telnet: on
sources yard: allow 10.64.0.0/24
policy limit:
    for-ways telnet
    from yard ipv4
user lena: password readable tern
> via telnet from 10.64.0.9 name lena pw tern
< admitted 1 by line 7
> via telnet from 192.0.2.1 name lena pw tern
< refused by line 3
> via telnet from 2001:db8::1 name lena pw tern
< admitted 1 by line 7

= policies: refused by name is denied, after the name is asked
entry console: check nothing
policy out:
    for-accounts omar
    refused
> via console name omar
< denied by line 4
> via console name lena
< admitted 1 by line 1

= policies: HTTP and HTTPS apart
web:
    http on
    https on
    check users
policy plain:
    for-ways http
    check nothing
    level 0
> via http from 192.0.2.1
< admitted 0 by line 7
> via https from 192.0.2.1
< denied by line 4

= policies: key alone from outside, tries and empty passwords
ssh: host-key ed25519
entry vty 0-11: check users
sources yard: allow 10.64.0.0/24
policy yard:
    for-sources yard
    empty-passwords yes
    tries 1
policy rest:
    login key
    empty-passwords no
user lena: password none
user omar:
    password readable gull
    public-key ssh-ed25519 AAAA
> via ssh from 10.64.0.9 name lena
< denied by line 9
> via ssh from 10.64.0.9 name omar key AAAA
< admitted 1 by line 14

= policies: tries and empty passwords
ssh: host-key ed25519
entry vty 0-11: check users
sources yard: allow 10.64.0.0/24
policy yard:
    for-sources yard
    empty-passwords yes
    tries 1
user lena: password none
user omar: password readable gull
> via ssh from 10.64.0.9 name lena
< admitted 1 by line 8
> via ssh from 192.0.2.1 name lena
< denied by line 8
> via ssh from 10.64.0.9 name omar pw x pw gull
< denied by line 7
> via ssh from 192.0.2.1 name omar pw x pw gull
< admitted 1 by line 9

= policies: guests, sessions that may not elevate, an enable secret
entry console: check users
elevation 15: password readable kelp
policy guests:
    guest 0
    elevates no
policy deck:
    for-ways auxiliary
    check elevation-password
> via console
< admitted 0 by line 4
> via console elevate 15 epw kelp
< admitted 0 after 0 denied by line 5
> via auxiliary pw kelp
< admitted 15 by line 2

= bounds: nobody gets above an entry's or a service's cap
telnet:
    on
    cap 5
entry vty 0-11:
    check users
    cap 9
entry console:
    check users
    cap 2
user lena:
    password readable tern
    level 15
elevation 15: password readable kelp
> via telnet from 192.0.2.1 name lena pw tern
< admitted 5 by line 11
> via telnet from 192.0.2.1 name lena pw tern elevate 15 epw kelp
< admitted 5 after 5 denied by line 3
> via console name lena pw tern
< admitted 2 by line 11

= bounds: an open tier ends at the cap
% list-wide
entry console:
    check nothing
    cap 9
elevation 15: password readable kelp
> via console elevate 5 epw kelp
< admitted 9 after 1 granted by line 3

= bounds: the lowest level to elevate from
entry console: check users
elevation 15:
    password readable kelp
    least 3
user lena:
    password readable tern
    level 2
user omar:
    password readable gull
    level 3
> via console name lena pw tern elevate 15 epw kelp
< admitted 2 after 2 denied by line 4
> via console name omar pw gull elevate 15 epw kelp
< admitted 15 after 3 granted by line 3

= bounds: an elevation for some accounts, ways and sources
telnet: on
entry console: check users
entry vty 0-11: check users
sources yard: allow 10.64.0.0/24
elevation 15:
    password readable kelp
    for-accounts lena
    for-sources yard
elevation 7:
    password readable crab
    for-ways console
user lena: password readable tern
user omar: password readable gull
> via telnet from 10.64.0.9 name lena pw tern elevate 15 epw kelp
< admitted 15 after 1 granted by line 6
> via telnet from 10.64.0.9 name omar pw gull elevate 15 epw kelp
< admitted 1 after 1 denied by line 8
> via telnet from 192.0.2.1 name lena pw tern elevate 15 epw kelp
< admitted 1 after 1 denied by line 8
> via console name omar pw gull elevate 7 epw crab
< admitted 7 after 1 granted by line 10
> via telnet from 10.64.0.9 name lena pw tern elevate 7 epw crab
< admitted 1 after 1 denied by line 11

= bounds: an elevation that no method list gives to everybody
entry console: check users
methods for elevation: elevation-password
elevation 15:
    password readable kelp
    for-roles deck
user lena:
    password readable tern
    role deck
user omar: password readable gull
> via console name lena pw tern elevate 15 epw kelp
< admitted 15 after 1 granted by line 4
> via console name omar pw gull elevate 15 epw kelp
< admitted 1 after 1 denied by line 5

= bounds: where no secret is set, the level reached
% entry-first bare-elevation-level=7
entry console: check nothing
> via console elevate 7
< admitted 7 after 1 granted by key bare-elevation-console
> via console elevate 15
< admitted 7 after 1 denied by key bare-elevation-level

= bounds: where no secret is set, the level asked for
% entry-first bare-elevation-level=-
entry console: check nothing
> via console elevate 15
< admitted 15 after 1 granted by key bare-elevation-console

= bounds: a failed elevation closes the session
% entry-first failed-elevation-closes=yes
entry console: check nothing
elevation 15: password readable kelp
> via console elevate 15 epw x
< dropped after 1 denied by key failed-elevation-closes
> via console elevate 15 epw kelp
< admitted 15 after 1 granted by line 2

= bounds: a failed elevation leaves the session
% entry-first failed-elevation-closes=no
entry console: check nothing
elevation 15: password readable kelp
> via console elevate 15 epw x
< admitted 1 after 1 denied by line 2

= sources: ranges, masks, and what the end means
entry vty 0-11: check nothing
telnet:
    on
    from l
sources l:
    deny 192.0.2.10 to 192.0.2.20
    deny 10.64.0.1 mask 0.0.7.0
    at-end allow
> via telnet from 192.0.2.15
< refused by line 6
> via telnet from 192.0.2.21
< admitted 1 by line 1
> via telnet from 10.64.5.1
< refused by line 7
> via telnet from 10.64.8.1
< admitted 1 by line 1
> via telnet from 2001:db8::1
< admitted 1 by line 1

= sources: whatever another list allows
entry vty 0-11: check nothing
telnet:
    on
    from l
sources l:
    deny list ships
    allow 10.64.0.0/16
sources ships:
    deny 10.64.1.7
    allow 10.64.1.0/24
> via telnet from 10.64.1.9
< refused by line 6
> via telnet from 10.64.1.7
< admitted 1 by line 1
> via telnet from 10.64.2.1
< admitted 1 by line 1

= sources: another list is asked, and hands on what it does not decide
entry vty 0-11: check nothing
telnet:
    on
    from l
sources l:
    ask ships
    allow 10.64.0.0/16
    at-end deny
sources ships:
    leave 10.64.1.7
    deny 10.64.1.0/24
    at-end allow
> via telnet from 10.64.1.9
< refused by line 11
> via telnet from 10.64.1.7
< admitted 1 by line 1
> via telnet from 192.0.2.1
< refused by line 8

= sources: dropped in silence
entry vty 0-11: check nothing
telnet:
    on
    from l
sources l:
    allow 10.64.0.0/16
    silent
> via telnet from 192.0.2.1
< refused by line 5

= sources: lists that do not exist, or refer in a circle
% entry-first missing-list=deny
entry vty 0-11: check nothing
telnet:
    on
    from l
ssh: off
sources l:
    allow list nowhere
    ask nothing-there
    allow 10.64.0.0/16
> via telnet from 10.64.0.1
< admitted 1 by line 1
> via telnet from 192.0.2.1
< refused by line 6

= sources: a missing list that allows
% entry-first missing-list=allow
entry vty 0-11: check nothing
telnet:
    on
    from l
sources l: allow list nowhere
> via telnet from 192.0.2.1
< admitted 1 by line 1

= sources: two lists in a circle are in doubt
entry vty 0-11: check nothing
telnet:
    on
    from a
sources a:
    allow 10.64.0.0/16
    ask b
sources b: ask a
> via telnet from 10.64.0.1
< admitted 1 by line 1
> via telnet from 192.0.2.1
< unknown by line 7

= seats: a service with places of its own
telnet:
    on
    own-seats
    check password
    password readable tern
    another-password readable gull
    level 3
entry vty 0-11: check nothing
> via telnet from 192.0.2.1 pw tern busy 0-255
< admitted 3 by line 5
> via telnet from 192.0.2.1 knows "service:telnet 2"
< admitted 3 by line 6
> via telnet from 192.0.2.1 pw x
< denied by line 5

= seats: a device without VTYs
% entry-first vtys=0
telnet:
    on
    own-seats
methods for login: users
user lena: password readable tern
elevation 15: password readable kelp
> via telnet from 192.0.2.1 name lena pw tern elevate 15 epw kelp
< admitted 15 after 1 granted by line 6

= seats: what an unsaid check is
% entry-first unsaid-vty=refuse
telnet:
    on
    own-seats
> via telnet from 192.0.2.1
< refused by key unsaid-vty

= bounds: several passwords of one level, each for other roles
entry console: check users
policy bridge: for-roles bridge
policy deck: for-roles deck
elevation 15:
    another-password readable kelp where bridge
    another-password readable crab where deck
user lena:
    password readable tern
    role bridge
user omar:
    password readable gull
    role deck
user ines: password readable sand
> via console name lena pw tern elevate 15 epw kelp
< admitted 15 after 1 granted by line 5
> via console name lena pw tern elevate 15 epw crab
< admitted 1 after 1 denied by line 5
> via console name omar pw gull elevate 15 epw crab
< admitted 15 after 1 granted by line 6
> via console name ines pw sand elevate 15 epw kelp
< admitted 1 after 1 denied by line 5

= bounds: a password that opens at some places only, and one of a policy that there is not
entry console: check users
entry auxiliary: check users
policy desk: for-ways console
user lena:
    password readable tern
    another-password readable gull level 9 where desk
    another-password readable kelp where nowhere
> via console name lena pw gull
< admitted 9 by line 6
> via auxiliary name lena pw gull
< denied by line 5
> via console name lena pw kelp
< denied by line 5

= bounds: a limit of elevation holds whatever is asked for it
entry console:
    check nothing
    elevation methods free
methods free for elevation: nothing
elevation 15: least 3
elevation 7: least 1
> via console elevate 15
< admitted 1 after 1 denied by line 5
> via console elevate 7
< admitted 7 after 1 granted by line 4

= policies: a username is the one of a condition where case does not matter
% entry-first names-by-case=no
entry console: check users
user lena: password readable tern
policy crew:
    for-accounts LENA
    level 3
> via console name lena pw tern
< admitted 3 by line 2
> via console name Lena pw tern
< admitted 3 by line 2
"""
