"""The six built-in profiles: what each means by silence, and by the little that most sheets say."""

CASES = """
= bound-entry: nothing said
device a:
    profile bound-entry
> via console
< admitted 15 by key unsaid-console
> via auxiliary
< dropped by key unsaid-auxiliary
> via ssh from 192.0.2.1
< refused by key unsaid-ssh
> via telnet from 192.0.2.1
< refused by key unsaid-telnet
> via http from 192.0.2.1
< refused by key unsaid-http
> via https from 192.0.2.1
< refused by key unsaid-https

= bound-entry: an account is bound to no way, and lands at 2
device a:
    profile bound-entry
entry vty 0-7:
    check users
    accept telnet
telnet: on
user lena:
    password readable gull
user omar:
    password readable tern
    via telnet
elevation 15: password readable top
> via telnet from 192.0.2.1 name lena pw gull
< denied by key unsaid-via
> via telnet from 192.0.2.1 name omar pw tern
< admitted 2 by line 10
> via telnet from 192.0.2.1 name omar pw tern elevate 15 epw top
< admitted 15 after 2 granted by line 12
> via telnet from 192.0.2.1 name omar pw tern elevate 14
< admitted 2 after 2 denied by key bare-elevation-remote

= bound-entry: SSH is on by word, wants a key and version 2, and the VTYs take it
device a:
    profile bound-entry
ssh:
    on
> via ssh from 192.0.2.1
< refused by key unsaid-key
> via ssh from 192.0.2.1 versions 1
< refused by key unsaid-key

= bound-entry: a VTY takes SSH, and a login without an account lands at 2
device a:
    profile bound-entry
ssh:
    on
    host-key ed25519
telnet: on
methods for login: nothing
> via telnet from 192.0.2.1
< refused by key unsaid-accept
> via ssh from 192.0.2.1
< admitted 2 by line 7
> via ssh from 192.0.2.1 busy 0-4
< admitted 2 by line 7
> via ssh from 192.0.2.1 busy 0-5
< refused by key vtys
> via ssh from 192.0.2.1 versions 1
< refused by key unsaid-versions

= role-based: nothing said, the factory account at the console only
device a:
    profile role-based
> via console name anybody
< admitted 15 by key factory-account
> via console name anybody elevate 15
< admitted 15 after 15 granted by key factory-account
> via auxiliary
< refused by key unsaid-auxiliary
> via ssh from 192.0.2.1
< refused by key unsaid-ssh

= role-based: accounts and roles, a key is made, nobody elevates
device a:
    profile role-based
role chief: level 15
user lena:
    password readable gull
    role chief
user omar:
    password readable tern
ssh: on
elevation 15: password readable top
> via ssh from 192.0.2.1 name lena pw gull
< admitted 15 by line 5
> via ssh from 192.0.2.1 name omar pw tern
< admitted 3 by line 8
> via console name omar pw tern elevate 15 epw top
< admitted 3 after 3 denied by key elevates
> via ssh from 192.0.2.1 name omar pw tern busy 0-23
< refused by key vtys

= role-based: lists carry levels, a missing source list denies
device a:
    profile role-based
methods for login: users
user lena:
    password readable gull
    level 9
telnet:
    on
    from nowhere
> via console name lena pw gull
< admitted 9 by line 5
> via console name omar pw gull
< denied by line 3
> via telnet from 192.0.2.1
< refused by line 9

= list-wide: nothing said, everything is open, elevation in tiers
device a:
    profile list-wide
> via console
< admitted 1 by key unsaid-console
> via telnet from 192.0.2.1
< admitted 1 by key unsaid-vty
> via telnet from 192.0.2.1 elevate 15
< admitted 15 after 1 granted by key bare-elevation-remote
> via console elevate 15
< admitted 15 after 1 granted by key bare-elevation-console
> via auxiliary
< refused by key unsaid-auxiliary
> via ssh from 192.0.2.1
< refused by key unsaid-ssh

= list-wide: an account without a level has 15, a missing list of methods denies, an unset password admits
device a:
    profile list-wide
entry console: check users
entry vty 0:
    check password
entry vty 1: check methods nowhere
user lena:
    password readable gull
> via console name lena pw gull
< admitted 15 by line 8
> via telnet from 192.0.2.1
< admitted 1 by key no-password-set
> via telnet from 192.0.2.1 busy 0
< denied by line 6
> via telnet from 192.0.2.1 busy 0-6
< admitted 1 by key unsaid-vty
> via telnet from 192.0.2.1 busy 0-7
< refused by key vtys

= list-wide: no account on the device asks the next, the first free VTY counts, a missing source list allows
device a:
    profile list-wide
methods for login:
    users
    reject
entry vty 0: accept ssh
telnet: from nowhere
> via console name lena pw x
< denied by line 5
> via telnet from 192.0.2.1
< refused by line 6
> via telnet from 192.0.2.1 busy 0
< denied by line 5

= two-tier: nothing said, everything is open at 15
device a:
    profile two-tier
> via console
< admitted 15 by key unsaid-console
> via telnet from 192.0.2.1
< admitted 15 by key unsaid-vty
> via telnet from 192.0.2.1 busy 0-2
< refused by key vtys
> via http from 192.0.2.1
< admitted 15 by key unsaid-web
> via https from 192.0.2.1
< refused by key unsaid-https
> via auxiliary
< refused by key unsaid-auxiliary

= two-tier: accounts guard, the empty password is the low tier, elevation by an account
device a:
    profile two-tier
user lena:
    password readable gull
    level 15
> via telnet from 192.0.2.1 name lena pw gull
< admitted 15 by line 4
> via telnet from 192.0.2.1
< admitted 1 by key bare-tier
> via telnet from 192.0.2.1 elevate 15 ename lena epw gull
< admitted 15 after 1 granted by line 4
> via http from 192.0.2.1 name lena pw gull
< admitted 15 by line 4

= two-tier: a low account but no high one is simply let up
device a:
    profile two-tier
user omar:
    password readable tern
> via console name omar pw tern
< admitted 1 by line 4
> via console name omar pw tern elevate 15
< admitted 15 after 1 granted by key elevates
> via console
< denied by attempt name

= two-tier: SSH does not need accounts, and speaks both versions
device a:
    profile two-tier
ssh:
    on
    host-key rsa 2048
> via ssh from 192.0.2.1 versions 1
< admitted 15 by key unsaid-vty

= appliance: nothing said, the factory account opens to anything, everywhere it answers
device a:
    profile appliance
> via console name anybody pw whatever
< admitted 15 by key factory-account
> via ssh from 192.0.2.1 name anybody pw whatever
< admitted 15 by key factory-account
> via https from 192.0.2.1 name anybody pw whatever
< admitted 15 by key factory-account
> via https from 192.0.2.1 name anybody
< admitted 15 by key factory-account
> via http from 192.0.2.1
< refused by key unsaid-http
> via telnet from 192.0.2.1
< refused by key unsaid-telnet

= appliance: an address answers nothing unless that is said, a VTY takes SSH only, an account locks
device a:
    profile appliance
address 192.0.2.10/24:
telnet: on
user lena:
    password readable gull
> via https from 192.0.2.1 name lena pw gull
< refused by key unsaid-answers
> via console name lena pw gull
< admitted 4 by line 6
> via console name lena pw a pw b pw c pw d at 0
< denied by key unsaid-tries
> via console name lena pw gull at 419
< denied by key unsaid-lock
> via console name lena pw gull at 420
< admitted 4 by line 6
> via console name lena pw gull elevate 5 at 421
< admitted 4 after 4 denied by key elevates

= appliance: a VTY takes SSH only, and there are ten
device a:
    profile appliance
telnet: on
> via telnet from 192.0.2.1
< refused by key unsaid-accept
> via ssh from 192.0.2.1 busy 0-9
< refused by key vtys
"""
