"""What opens a lock: several passwords, states of accounts, keys and certificates, what servers and lists make of an answer."""

CASES = """
= passwords: any of an entry's opens it, and each is an item of its own
entry console:
    check password
    password readable tern
    another-password readable gull
    another-password hashed $0$kelp
> via console pw tern
< admitted 1 by line 3
> via console pw gull
< admitted 1 by line 4
> via console knows "entry:console 2"
< admitted 1 by line 4
> via console knows "entry:console 3"
< admitted 1 by line 5
> via console pw crab
< denied by line 3

= passwords: a further one of VTYs is known by its own range
telnet: on
entry vty 0-11:
    check password
    password readable tern
entry vty 0-3: another-password readable gull
> via telnet from 192.0.2.1 pw gull
< admitted 1 by line 5
> via telnet from 192.0.2.1 knows "entry:vty 0-3 2"
< admitted 1 by line 5
> via telnet from 192.0.2.1 knows "entry:vty 0-11 2"
< denied by attempt password
> via telnet from 192.0.2.1 pw gull busy 0-3
< denied by line 4

= passwords: a further one of an account may give a level of its own, and the first that opens counts
entry console: check users
user lena:
    password readable tern
    another-password readable gull level 15
    another-password readable tern level 7
    level 2
> via console name lena pw tern
< admitted 2 by line 3
> via console name lena pw gull
< admitted 15 by line 4
> via console name lena knows "user:lena 3"
< admitted 7 by line 5

= passwords: an account that has only further ones
entry console: check users
user lena: another-password readable gull
> via console name lena pw gull
< admitted 1 by line 2
> via console name lena knows user:lena
< denied by attempt password
> via console name lena knows "user:lena 2"
< admitted 1 by line 2

= passwords: a name that looks numbered is quoted in its items
entry console: check users
user "berth 2": password opaque 9
user berth:
    password opaque 8
    another-password opaque 7
> via console name "berth 2" knows 'user:"berth 2"'
< admitted 1 by line 2
> via console name berth knows "user:berth 2"
< admitted 1 by line 5

= passwords: what nothing opens
entry console: check users
user lena:
    password unopenable
    public-key ssh-ed25519 AAAA
ssh: host-key ed25519
> via console name lena pw x
< denied by line 3
> via console name lena
< denied by attempt password
> via ssh from 192.0.2.1 name lena key AAAA
< admitted 1 by line 4

= passwords: only the first letters count
passwords: letters 4
entry console: check users
user lena: password readable harbour
user omar: password hashed $0$tern
> via console name lena pw harbxx
< admitted 1 by line 3
> via console name lena pw har
< denied by line 3
> via console name omar pw ternmore
< admitted 1 by line 4

= passwords: further ones of an elevation
entry console: check nothing
elevation 15:
    password hashed $0$tern
    another-password readable gull
> via console elevate 15 epw gull
< admitted 15 after 1 granted by line 4
> via console elevate 15 knows "elevation:15 2"
< admitted 15 after 1 granted by line 4
> via console elevate 15 epw x
< admitted 1 after 1 denied by line 3

= passwords: further ones of a tier
% list-wide
entry console: check nothing
elevation 7:
    password readable tern
    another-password readable kelp
elevation 15: password readable gull
> via console elevate 7 epw kelp
< admitted 7 after 1 granted by line 4
> via console elevate 7 epw gull
< admitted 15 after 1 granted by line 5

= pages: a password of their own
web:
    https on
    check password
    password readable tern
    another-password readable gull
    level 4
> via https from 192.0.2.1 pw tern
< admitted 4 by line 4
> via https from 192.0.2.1 knows "service:web 2"
< admitted 4 by line 5
> via https from 192.0.2.1 pw x
< denied by line 4

= pages: a password is asked for and none is set
web:
    https on
    check password
> via https from 192.0.2.1 pw x
< dropped by line 3

= pages: tries and a level of their own, HTTP and HTTPS alike
web:
    http on
    https on
    check users
    tries 2
    level 6
user lena: password readable tern
> via http from 192.0.2.1 name lena pw x pw tern
< admitted 6 by line 7
> via https from 192.0.2.1 name lena pw x pw y pw tern
< denied by line 5

= pages: an account's level before the pages'
web:
    https on
    check users
    level 6
user lena:
    password readable tern
    level 2
> via https from 192.0.2.1 name lena pw tern
< admitted 2 by line 6

= doors: a password and guests
door copy:
    on
    check password
    password readable tern
    guest 0
    level 9
> via door:copy from 192.0.2.1 pw tern
< admitted 9 by line 4
> via door:copy from 192.0.2.1
< admitted 0 by line 5
> via door:copy from 192.0.2.1 pw x
< denied by line 4

= guests: who gives a name is none
web:
    https on
    check users
    guest 1
user lena:
    password readable tern
    level 15
> via https from 192.0.2.1
< admitted 1 by line 4
> via https from 192.0.2.1 name lena pw tern
< admitted 15 by line 6
> via https from 192.0.2.1 name lena
< denied by attempt password

= tries: none at all
telnet:
    on
    tries 0
ssh:
    host-key ed25519
    tries 0
entry vty 0-11: check users
user lena:
    password readable tern
    public-key ssh-ed25519 AAAA
> via telnet from 192.0.2.1 name lena pw tern
< denied by line 3
> via ssh from 192.0.2.1 name lena pw tern
< denied by line 6
> via ssh from 192.0.2.1 name lena key AAAA
< admitted 1 by line 10

= tries: Telnet's own
telnet:
    on
    tries 2
entry vty 0-11: check users
user lena: password readable tern
> via telnet from 192.0.2.1 name lena pw x pw tern
< admitted 1 by line 5
> via telnet from 192.0.2.1 name lena pw x pw y pw tern
< denied by line 3

= accounts: let in without a prompt
entry console: check users
user lena:
    no-prompt
    level 3
> via console name lena
< admitted 3 by line 3
> via console name lena pw whatever
< admitted 3 by line 3
> via console name omar
< denied by line 1

= accounts: a password that has to be changed first
entry console: check users
user lena:
    password readable tern
    must-change
> via console name lena pw tern
< admitted 1 by line 3

= accounts: a device that changes no password at login
% entry-first must-change=deny
entry console: check users
user lena:
    password readable tern
    must-change
> via console name lena pw tern
< denied by line 4

= accounts: no password, and let in without one
% entry-first account-without-password=admit
entry console: check users
user lena: level 4
> via console name lena
< admitted 4 by key account-without-password
> via console name lena pw anything
< admitted 4 by key account-without-password

= accounts: no password, and only a key helps
% entry-first account-without-password=deny
entry console: check users
user lena: level 4
> via console name lena pw anything
< denied by line 2

= accounts: an empty password is asked for, so a typed one is wrong
% entry-first empty-password-asked=yes
entry console: check users
user lena: password none
> via console name lena
< admitted 1 by line 2
> via console name lena pw x
< denied by line 2

= accounts: an empty password is not asked for, whatever is typed
% entry-first empty-password-asked=no
entry console: check users
user lena: password none
> via console name lena pw x
< admitted 1 by line 2

= accounts: an empty answer does not count towards a lock
% entry-first empty-text-counts=no
entry console: check users
passwords: lock forever after 1
user lena: password readable tern
> via console name lena pw ""
< denied by line 3
> via console name lena pw tern
< admitted 1 by line 3

= accounts: an empty answer counts
% entry-first empty-text-counts=yes
entry console: check users
passwords: lock forever after 1
user lena: password readable tern
> via console name lena pw ""
< denied by line 3
> via console name lena pw tern
< denied by line 2

= accounts: one that no lock holds
entry console: check users
passwords: lock forever after 1
user lena:
    password readable tern
    never-locked
user omar: password readable gull
> via console name lena pw x
< denied by line 4
> via console name lena pw tern
< admitted 1 by line 4
> via console name omar pw x
< denied by line 6
> via console name omar pw gull
< denied by line 2

= accounts: ways that may not use one
entry console: check users
entry vty 0-11: check users
telnet: on
user lena:
    password readable tern
    not-via telnet http
> via console name lena pw tern
< admitted 1 by line 5
> via telnet from 192.0.2.1 name lena pw tern
< denied by line 6

= accounts: names told apart by case
% entry-first names-by-case=yes
entry console: check users
user lena: password readable tern
> via console name LENA pw tern
< denied by line 1

= accounts: names that differ in case only are one
% entry-first names-by-case=no
entry console: check users
user lena: password readable tern
> via console name LENA pw tern
< admitted 1 by line 2

= accounts: a source list that holds at a port too
% entry-first account-from-at-ports=yes
entry console: check users
sources yard: allow 10.64.0.0/24
user lena:
    password readable tern
    from yard
> via console name lena pw tern
< unknown by attempt from

= accounts: a source list for the network alone
% entry-first account-from-at-ports=no
entry console: check users
sources yard: allow 10.64.0.0/24
user lena:
    password readable tern
    from yard
> via console name lena pw tern
< admitted 1 by line 4

= roles: limits and a cap of all who have one
entry console: check users
entry vty 0-11: check users
telnet: on
sources yard: allow 10.64.0.0/24
role deck:
    level 9
    cap 5
    not-via console
    from yard
role bridge:
    via console
    level 12
user lena:
    password readable tern
    role deck
user omar:
    password readable gull
    role bridge
> via telnet from 10.64.0.9 name lena pw tern
< admitted 5 by line 14
> via telnet from 192.0.2.1 name lena pw tern
< denied by line 4
> via console name lena pw tern
< denied by line 8
> via console name omar pw gull
< admitted 12 by line 17
> via telnet from 10.64.0.9 name omar pw gull
< denied by line 11

= roles: one that does not exist says nothing
% entry-first missing-role=unsaid
entry console: check users
user lena:
    password readable tern
    role nobody
> via console name lena pw tern
< admitted 1 by line 3

= roles: whoever has one that does not exist is denied
% entry-first missing-role=deny
entry console: check users
user lena:
    password readable tern
    role nobody
> via console name lena pw tern
< denied by line 4

= roles: whether their accounts may elevate
entry console: check users
elevation 15: password readable kelp
role deck: elevates no
user lena:
    password readable tern
    role deck
user omar:
    password readable gull
    role deck
    elevates yes
> via console name lena pw tern elevate 15 epw kelp
< admitted 1 after 1 denied by line 3
> via console name omar pw gull elevate 15 epw kelp
< admitted 15 after 1 granted by line 2

= keys: where and how long one may be used
ssh: host-key ed25519
entry vty 0-11: check users
sources yard: allow 10.64.0.0/24
user lena:
    public-key ssh-ed25519 AAAA one from yard
    public-key ssh-ed25519 BBBB two until 2026-05-31
    public-key ssh-ed25519 CCCC three until 2026-06-01
> via ssh from 10.64.0.9 name lena key AAAA
< admitted 1 by line 5
> via ssh from 192.0.2.1 name lena key AAAA
< denied by line 4
> via ssh from 10.64.0.9 name lena key BBBB
< denied by line 4
> via ssh from 192.0.2.1 name lena key CCCC
< admitted 1 by line 7
> via ssh from 192.0.2.1 name lena knows "key:lena 3"
< admitted 1 by line 7
> via ssh from 192.0.2.1 name lena knows "key:lena 2"
< denied by line 4

= keys: several in one attempt
ssh: host-key ed25519
entry vty 0-11: check users
user lena: public-key ssh-ed25519 AAAA
> via ssh from 192.0.2.1 name lena key CCCC key AAAA
< admitted 1 by line 3

= keys: refused ones cost no try
% entry-first refused-key-costs=no
ssh:
    host-key ed25519
    tries 1
entry vty 0-11: check users
user lena:
    password readable tern
    public-key ssh-ed25519 AAAA
> via ssh from 192.0.2.1 name lena key CCCC key AAAA
< admitted 1 by line 7
> via ssh from 192.0.2.1 name lena key CCCC pw tern
< admitted 1 by line 6

= keys: refused ones cost a try each
% entry-first refused-key-costs=yes
ssh:
    host-key ed25519
    tries 2
entry vty 0-11: check users
user lena:
    password readable tern
    public-key ssh-ed25519 AAAA
> via ssh from 192.0.2.1 name lena key CCCC key AAAA
< admitted 1 by line 7
> via ssh from 192.0.2.1 name lena key CCCC key DDDD key AAAA
< denied by line 3
> via ssh from 192.0.2.1 name lena key CCCC pw tern
< admitted 1 by line 6
> via ssh from 192.0.2.1 name lena key CCCC pw x pw tern
< denied by line 3

= keys: two of them wanted
ssh:
    host-key ed25519
    login two-keys
entry vty 0-11: check users
user lena:
    password readable tern
    public-key ssh-ed25519 AAAA
    public-key ssh-ed25519 BBBB
> via ssh from 192.0.2.1 name lena key AAAA key BBBB
< admitted 1 by line 8
> via ssh from 192.0.2.1 name lena key AAAA pw tern
< denied by line 3
> via ssh from 192.0.2.1 name lena knows key:lena knows "key:lena 2"
< admitted 1 by line 8

= keys: certified by an authority
ssh: host-key ed25519
entry vty 0-11: check users
user lena: key-authority ssh-ed25519 CCCC x until 2026-06-01
> via ssh from 192.0.2.1 name lena cert CCCC/lena
< admitted 1 by line 3
> via ssh from 192.0.2.1 name lena cert CCCC/omar
< denied by line 3
> via ssh from 192.0.2.1 name lena cert DDDD/lena
< denied by line 3
> via ssh from 192.0.2.1 name lena knows certificate:lena
< admitted 1 by line 3
> via ssh from 192.0.2.1 name lena cert CCCC/lena now 2026-06-02
< denied by line 3

= keys: kinds that are taken
ssh:
    host-key ed25519
    key-kinds ssh-rsa
entry vty 0-11: check users
user lena: public-key ssh-ed25519 AAAA
> via ssh from 192.0.2.1 name lena key AAAA
< denied by line 5

= keys: an account for keys alone, and one for both
ssh: host-key ed25519
entry vty 0-11: check users
user lena:
    password readable tern
    public-key ssh-ed25519 AAAA
    login key
user omar:
    password readable gull
    public-key ssh-ed25519 BBBB
    login both
> via ssh from 192.0.2.1 name lena pw tern
< denied by line 6
> via ssh from 192.0.2.1 name lena key AAAA
< admitted 1 by line 5
> via ssh from 192.0.2.1 name omar key BBBB
< denied by attempt password
> via ssh from 192.0.2.1 name omar key BBBB pw gull
< admitted 1 by line 8

= SSH: algorithms that both sides speak
ssh:
    host-key ed25519
    ciphers aes256-ctr aes128-ctr
    exchanges curve25519-sha256
    host-key-kinds ssh-ed25519
    macs hmac-sha2-256
entry vty 0-11: check users
user lena: password readable tern
> via ssh from 192.0.2.1 name lena pw tern alg ciphers=3des-cbc,aes128-ctr alg macs=hmac-sha2-256
< admitted 1 by line 8
> via ssh from 192.0.2.1 name lena pw tern alg ciphers=3des-cbc
< refused by line 3
> via ssh from 192.0.2.1 name lena pw tern alg exchanges=diffie-hellman-group14-sha256
< refused by line 4
> via ssh from 192.0.2.1 name lena pw tern alg host-keys=ssh-rsa
< refused by line 5
> via ssh from 192.0.2.1 name lena pw tern alg macs=umac-64@example
< refused by line 6

= SSH: a device that does not say what it speaks
ssh: host-key ed25519
entry vty 0-11: check users
user lena: password readable tern
> via ssh from 192.0.2.1 name lena pw tern alg ciphers=aes128-ctr
< unknown by line 1
> via ssh from 192.0.2.1 name lena pw tern
< admitted 1 by line 3

= SSH: the smallest host key
% entry-first smallest-host-key=2048
ssh: host-key rsa 1024
entry vty 0-11: check users
user lena: password readable tern
> via ssh from 192.0.2.1 name lena pw tern versions 2
< refused by line 1

= SSH: any host key will do
% entry-first smallest-host-key=0
ssh: host-key rsa 512
entry vty 0-11: check users
user lena: password readable tern
> via ssh from 192.0.2.1 name lena pw tern versions 2
< admitted 1 by line 3

= methods: a rejection that goes on
entry console: check methods
servers radius harbour: server 192.0.2.50
methods for login:
    servers harbour no goes-on
    users
user lena: password readable tern
> via console name lena pw tern held harbour/omar/x
< admitted 1 by line 6
> via console name lena pw x held harbour/lena/x
< admitted 1 by line 4
> via console name lena pw y held harbour/lena/x
< denied by line 6

= methods: a rejection that leads to another list
entry console: check methods
methods for login: users no list spare
methods spare for login: entry-password
entry console: password readable kelp
user lena: password readable tern
> via console name lena pw kelp
< admitted 1 by line 4
> via console name lena pw x
< denied by line 4

= methods: lists that lead in a circle
entry console: check methods a
methods a for login: reject no list b
methods b for login: reject no list a
> via console name lena pw x
< denied by line 3

= methods: what the end means
servers radius harbour: server 192.0.2.50
methods admits for login:
    servers harbour
    at-end admit
methods locals for login:
    servers harbour
    at-end users
methods denies for login:
    servers harbour
    at-end deny
methods asks for login:
    servers harbour
    at-end list locals
user lena: password readable tern
entry console: check methods admits
entry auxiliary: check methods locals
entry vty 0: check methods denies
entry vty 1: check methods asks
telnet: on
> via console name lena pw x down 192.0.2.50
< admitted 1 by line 4
> via auxiliary name lena pw tern down 192.0.2.50
< admitted 1 by line 14
> via auxiliary name lena pw x down 192.0.2.50
< denied by line 14
> via telnet from 192.0.2.1 name lena pw tern down 192.0.2.50
< denied by line 10
> via telnet from 192.0.2.1 name lena pw tern down 192.0.2.50 busy 0
< admitted 1 by line 14

= methods: nobody gets above a list's cap
entry console: check methods
methods for login:
    users
    cap 3
user lena:
    password readable tern
    level 15
elevation 15: password none
> via console name lena pw tern
< admitted 1 by line 6
> via console name lena pw tern elevate 3
< admitted 3 after 1 granted by key bare-elevation-console
> via console name lena pw tern elevate 15
< admitted 1 after 1 denied by line 4

= methods: a list for elevation has a cap too
entry console: check nothing
methods for elevation:
    nothing
    cap 7
> via console elevate 7
< admitted 7 after 1 granted by line 3
> via console elevate 8
< admitted 1 after 1 denied by line 4

= methods: a port that asks local accounts last
entry console:
    check methods
    users-last
methods for login: servers harbour
servers radius harbour: server 192.0.2.50
user lena: password readable tern
> via console name lena pw tern held harbour/omar/x
< admitted 1 by line 6
> via console name lena pw x held harbour/omar/x
< denied by line 6

= methods: a list that does not exist lets in
% entry-first missing-methods=admit
entry console: check methods nowhere
> via console name lena pw x
< admitted 1 by line 1

= methods: a server group that does not exist rejects
% entry-first missing-group=reject
entry console: check methods
methods for login:
    servers nowhere
    users
user lena: password readable tern
> via console name lena pw tern
< denied by line 3

= methods: a server group that does not exist gives no answer
% entry-first missing-group=next
entry console: check methods
methods for login:
    servers nowhere
    users
user lena: password readable tern
> via console name lena pw tern
< admitted 1 by line 5

= servers: a wrong shared secret
entry console: check methods
servers radius harbour:
    server 192.0.2.50
    secret-wrong
methods for login:
    servers harbour
    users
user lena: password readable tern
> via console name lena pw tern held harbour/lena/x
< admitted 1 by line 8

= servers: a yes that needs a local account
entry console: check methods
servers radius harbour:
    server 192.0.2.50
    needs-user
methods for login: servers harbour
user lena: level 3
user omar: disabled
> via console name lena pw x held harbour/lena/x
< admitted 1 by line 5
> via console name omar pw x held harbour/omar/x
< denied by line 4
> via console name ines pw x held harbour/ines/x
< denied by line 4

= servers: whose level counts
% list-wide
servers radius a:
    server 192.0.2.50
    level-from account
servers radius b:
    server 192.0.2.51
    level-from lower
servers radius c:
    server 192.0.2.52
    level-from higher
servers radius d:
    server 192.0.2.53
    level-from server
methods a for login: servers a
methods b for login: servers b
methods c for login: servers c
methods d for login: servers d
entry console: check methods a
entry auxiliary: check methods b
entry vty 0: check methods c
entry vty 1: check methods d
telnet: on
user lena: level 5
> via console name lena pw x held a/lena/x/9
< admitted 5 by line 13
> via auxiliary name lena pw x held b/lena/x/9
< admitted 5 by line 14
> via telnet from 192.0.2.1 name lena pw x held c/lena/x/9
< admitted 9 by line 15
> via console name omar pw x held a/omar/x/9
< admitted 15 by line 13
> via auxiliary name omar pw x held b/omar/x/9
< admitted 9 by line 14

= pause: logins at the ports too
management: pause 5m after 1 everywhere
entry console: check password
entry console: password readable tern
> via console pw x
< denied by line 3
> via console pw tern
< refused by line 1
> via console pw tern at 400
< admitted 1 by line 3

= methods: the end speaks of silence, not of a rejection that went on
entry console: check methods
servers radius harbour: server 192.0.2.50
methods for login:
    servers harbour no goes-on
    entry-password
    at-end admit
> via console name lena pw x held harbour/omar/x
< denied by line 3
> via console name lena pw x held harbour/omar/x down 192.0.2.50
< admitted 1 by line 6
"""
