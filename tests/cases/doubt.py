"""Unread statements and unknown profiles: what is in doubt, and what is not. These sheets are not wholly understood."""

CASES = """
= unread: in an entry, what the entry leaves unsaid is in doubt
entry console:
    check nothing
    idel 5m
> via console
< unknown by line 3

= unread: in another block it does not matter
entry auxiliary:
    idel 5m
entry console:
    check nothing
> via console
< admitted 1 by line 4

= unread: in an account
entry console:
    check users
user lena:
    password readable gull
    lvel 15
> via console name lena pw gull
< unknown by line 5
> via console name lena pw x
< denied by line 4

= unread: in a list, before and behind the line that decides
sources l:
    allow 10.64.1.0/24
    alow 10.64.2.0/24
telnet: from l
entry vty 0-11: check nothing
> via telnet from 10.64.1.5
< admitted 1 by line 5
> via telnet from 10.64.2.5
< unknown by line 3

= unread: in a service
telnet:
    on
    form l
    check nothing
entry vty 0-11: check nothing
> via telnet from 192.0.2.1
< unknown by line 3

= unread: in a method list, before the method that answers
methods for login:
    usrs
    nothing
> via console
< unknown by line 2

= unread: in a method list, behind the method that answers
methods for login:
    nothing
    usrs
> via console
< admitted 1 by line 2

= unread: in the device block only a profile matters
device a:
    knd router
> via console
< admitted 1 by key unsaid-console

= unread: the profile
device a:
    profil list-wide
> via console
< unknown by line 2

= unread: what the entry does not leave unsaid is sure
entry console:
    closed
    idel 5m
> via console
< refused by line 2

= unread: in an elevation, a password that was mistyped is no lack of one
elevation 15:
    pasword hashed $1$quay$zQXgVMSWlVChlq5cuDI.L0
> via console elevate 15
< admitted after 1 unknown by line 2
> via console elevate 15 knows elevation:15
< admitted after 1 unknown by line 2
> via console elevate 14
< admitted 14 after 1 granted by key bare-elevation-console

= unread: in an elevation, what is readable may not be what counts
elevation 15:
    password readable top
    pasword hashed $1$quay$zQXgVMSWlVChlq5cuDI.L0
> via console elevate 15 epw top
< admitted after 1 unknown by line 3
> via console elevate 15
< admitted 1 after 1 denied by attempt elevate_password

= unread: in web management, which may set a level
sources l: allow 10.64.1.0/24
web:
    https on
    from l
    check nothing
    levl 3
> via https from 10.64.1.5
< unknown by line 6

= unread: in a service, which list elevation asks does not matter where every list and the secret agree
sources l: allow 10.64.1.0/24
telnet:
    on
    from l
    check nothing
    elevaton methods ring
entry vty 0-11: level 1
methods ring for elevation: nothing
elevation 15: password readable gull
> via telnet from 10.64.1.5 elevate 15 knows elevation:15
< admitted 15 granted by line 6
> via telnet from 10.64.1.5 elevate 15
< unknown by line 6

= unread: in an elevation, the one-way password is there and counts, but may be for some sessions only
elevation 15:
    password readable top
    password hashed $1$quay$zQXgVMSWlVChlq5cuDI.L0
    pasword readable old
> via console elevate 15 epw boat
< admitted after 1 unknown by line 4
> via console elevate 15 epw x
< admitted 1 after 1 denied by line 3

= unread: in SNMP, a community
snmp:
    on
    community readable terns read
    comunity readable gulls write
> via snmp from 192.0.2.1 pw terns
< admitted 1 by line 3
> via snmp from 192.0.2.1 pw gulls
< unknown by line 4
> via snmp from 192.0.2.1
< denied by attempt password

= profile: a name that nobody knows puts all that is unsaid in doubt
device a:
    profile tide
entry console:
    check nothing
    level 3
entry auxiliary:
    closed
> via console
< admitted 3 by line 4
> via auxiliary
< refused by line 7
> via telnet from 192.0.2.1
< unknown by line 2
> via console elevate 15
< admitted after 3 unknown by line 2
> via console elevate 2
< admitted 3 after 3 granted by line 5

= key: one that is unknown
% entry-first unsaid-telnet=unknown
device a:
entry vty 0-11: check nothing
> via telnet from 192.0.2.1
< unknown by key unsaid-telnet
> via console
< admitted 1 by key unsaid-console

= key: one that is unknown and decides nothing
% entry-first unsaid-tries=unknown missing-list=unknown
entry console:
    check password
    password readable boat
> via console pw boat
< admitted 1 by line 3

= key: the tries are unknown, and the last of them would be right
% entry-first unsaid-tries=unknown
entry console:
    check password
    password readable boat
> via console pw x pw boat
< unknown by key unsaid-tries

= key: the level is unknown, the elevation ends alike
% entry-first unsaid-level-console=unknown
entry console:
    check nothing
> via console elevate 15
< admitted 15 granted by key unsaid-level-console
> via console
< unknown by key unsaid-level-console

= lock: it is unknown whether a locked account takes its keys
% entry-first lock-stops-keys=unknown
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
< unknown by key lock-stops-keys

= unread: in a policy, which may hold for fewer, and may say anything
entry console: check users
user lena: password readable tern
policy crew:
    for-ways console
    levle 3
> via console name lena pw tern
< unknown by line 5
> via console name lena
< unknown by line 5

= unread: in a policy for another way, which does not matter
entry console: check users
user lena: password readable tern
policy crew:
    for-ways ssh
    levle 3
> via console name lena pw tern
< admitted 1 by line 2

= unread: in a role, which may limit the ways and sources of its accounts
entry console: check users
role deck:
    level 4
    vai ssh
user lena:
    password readable tern
    role deck
> via console name lena pw tern
< unknown by line 4

= doubt: a time of day without the zone of the clock
entry console: check users
user lena: password readable tern
policy night:
    for-hours 22:00-06:00
    level 3
> via console name lena pw tern
< unknown by line 4

= doubt: a time zone that nobody knows
device quay: zone Atlantis/Pier
entry console: check users
user lena: password readable tern
policy night:
    for-hours 22:00-06:00
    refused
> via console name lena pw tern
< unknown by line 5

= doubt: what nobody knows of names and host keys
% entry-first names-by-case=unknown smallest-host-key=unknown
entry console: check users
ssh: host-key rsa 1024
entry vty 0-11: check users
user lena: password readable tern
> via console name lena pw tern
< admitted 1 by line 4
> via console name LENA pw tern
< unknown by key names-by-case
> via ssh from 192.0.2.1 name lena pw tern versions 2
< unknown by key smallest-host-key

= doubt: what nobody knows of a failed elevation, of policies and of keys
% entry-first failed-elevation-closes=unknown policy-order=unknown refused-key-costs=unknown
entry console: check users
elevation 15: password readable kelp
ssh:
    host-key ed25519
    tries 1
entry vty 0-11: check users
user lena: password readable tern
policy one:
    for-ways auxiliary
    level 2
policy two: level 3
policy three: level 4
> via console name lena pw tern elevate 15 epw x
< unknown by key policy-order
> via console name lena pw tern elevate 15 epw kelp
< admitted 15 granted by key policy-order
> via ssh from 192.0.2.1 name lena key AAAA pw tern
< unknown by key refused-key-costs
"""
