"""Section 1, arriving, row by row."""

CASES = """
= arriving: the ports are there whether the sheet names them or not
device a:
> via console
< admitted 1 by key unsaid-console
> via auxiliary
< admitted 1 by key unsaid-auxiliary

= arriving: closed refuses
entry console:
    closed
    check nothing
entry auxiliary:
    closed
> via console
< refused by line 2
> via auxiliary
< refused by line 5

= arriving: unsaid and refuse is closed
% entry-first unsaid-console=refuse unsaid-auxiliary=refuse
device a:
> via console
< refused by key unsaid-console
> via auxiliary
< refused by key unsaid-auxiliary

= arriving: refuse closes with a list for all too, and a check that is said opens
% role-based
methods for login:
    nothing
entry console:
    check nothing
> via auxiliary
< refused by key unsaid-auxiliary
> via console
< admitted 1 by line 4

= arriving: a VTY whose unsaid check is refuse accepts nothing
% entry-first unsaid-vty=refuse
telnet:
    on
    check nothing
> via telnet from 192.0.2.1
< refused by key unsaid-vty

= arriving: a service that is off
ssh:
    off
telnet:
    off
web:
    http off
    https off
> via ssh from 192.0.2.1
< refused by line 2
> via telnet from 192.0.2.1
< refused by line 4
> via http from 192.0.2.1
< refused by line 6
> via https from 192.0.2.1
< refused by line 7

= arriving: unsaid services, off and on
% entry-first unsaid-ssh=off unsaid-telnet=off unsaid-http=on unsaid-https=on unsaid-web=nothing
device a:
> via ssh from 192.0.2.1
< refused by key unsaid-ssh
> via telnet from 192.0.2.1
< refused by key unsaid-telnet
> via http from 192.0.2.1
< admitted 1 by key unsaid-web
> via https from 192.0.2.1
< admitted 1 by key unsaid-web

= arriving: other statements in the block turn nothing on
% entry-first unsaid-telnet=off unsaid-https=off
telnet:
    check nothing
web:
    https-port 4443
    check nothing
> via telnet from 192.0.2.1
< refused by key unsaid-telnet
> via https from 192.0.2.1
< refused by key unsaid-https

= arriving: a door and SNMP are off where not said, and an unknown door is none
door copy:
    port 22
snmp:
    community readable gulls read
> via door:copy from 192.0.2.1
< refused by line 1
> via snmp from 192.0.2.1 pw gulls
< refused by line 3
> via door:other from 192.0.2.1
< refused by attempt via

= SSH key: none stated, and name and domain are there
device a:
    domain tidewater.example
> via ssh from 192.0.2.1
< refused by key unsaid-key

= SSH key: a missing name is the reason, then a missing domain
device:
    domain tidewater.example
> via ssh from 192.0.2.1
< refused by key wants-identity

= SSH key: a missing domain is the reason
device a:
> via ssh from 192.0.2.1
< refused by key wants-identity

= SSH key: identity is not wanted
% entry-first wants-identity=no
device:
> via ssh from 192.0.2.1
< refused by key unsaid-key

= SSH key: a stated key serves, whatever is missing
ssh:
    host-key rsa 2048
user lena:
    password readable gull
entry vty 0-11:
    check users
> via ssh from 192.0.2.1 name lena pw gull
< admitted 1 by line 4

= SSH key: made serves all versions of the sheet
% entry-first unsaid-key=made
device:
entry vty 0-11:
    check users
user lena:
    password readable gull
> via ssh from 192.0.2.1 name lena pw gull versions 1
< admitted 1 by line 5
> via ssh from 192.0.2.1 name lena pw gull versions 2
< admitted 1 by line 5

= SSH key: unsaid and unknown is in doubt where it decides
% entry-first unsaid-key=unknown wants-identity=no
device:
entry vty 0-11:
    check users
user lena:
    password readable gull
> via ssh from 192.0.2.1 name lena pw gull
< unknown by key unsaid-key

= SSH key: unsaid, unknown, and the identity is missing
% entry-first unsaid-key=unknown
device:
> via ssh from 192.0.2.1
< refused by key wants-identity

= SSH key: the sheet says that it does not know
ssh:
    host-key unknown
user lena:
    password readable gull
entry vty 0-11:
    check users
> via ssh from 192.0.2.1 name lena pw gull
< unknown by line 2

= SSH key: a usable key beside an unknown one settles it
ssh:
    host-key unknown
    host-key ed25519
user lena:
    password readable gull
entry vty 0-11:
    check users
> via ssh from 192.0.2.1 name lena pw gull
< admitted 1 by line 5
> via ssh from 192.0.2.1 name lena pw gull versions 1
< unknown by line 2

= SSH versions: a small RSA key serves version 1 only
ssh:
    host-key rsa 512
user lena:
    password readable gull
entry vty 0-11:
    check users
> via ssh from 192.0.2.1 name lena pw gull versions 2
< refused by line 2
> via ssh from 192.0.2.1 name lena pw gull versions 1
< admitted 1 by line 4
> via ssh from 192.0.2.1 name lena pw gull versions 1,2
< admitted 1 by line 4

= SSH versions: 768 bits serve version 2, 767 do not
ssh:
    host-key dsa 768
user lena:
    password readable gull
entry vty 0-11:
    check users
> via ssh from 192.0.2.1 name lena pw gull
< admitted 1 by line 4
> via ssh from 192.0.2.1 name lena pw gull versions 1
< refused by line 2

= SSH versions: too small for version 2
ssh:
    host-key dsa 767
> via ssh from 192.0.2.1
< refused by line 2

= SSH versions: curves serve version 2 only
ssh:
    versions 1 2
    host-key ecdsa 256
> via ssh from 192.0.2.1 versions 1
< refused by line 3

= SSH versions: nothing in common
ssh:
    versions 2
    host-key rsa 2048
> via ssh from 192.0.2.1 versions 1
< refused by line 2

= SSH versions: unsaid
% entry-first unsaid-versions=2
ssh:
    host-key rsa 2048
> via ssh from 192.0.2.1 versions 1
< refused by key unsaid-versions

= SSH versions: unsaid, only the first
% entry-first unsaid-versions=1
ssh:
    host-key rsa 2048
> via ssh from 192.0.2.1 versions 2
< refused by key unsaid-versions

= destination: no address is stated, so it is not checked
entry vty 0-11:
    check nothing
> via telnet from 192.0.2.1 to 198.51.100.7
< admitted 1 by line 2

= destination: it must be one of the device's and answer the way
address 192.0.2.10/24:
    answers telnet
address 198.51.100.10/24:
    answers nothing
entry vty 0-11:
    check nothing
> via telnet from 192.0.2.1 to 192.0.2.10
< admitted 1 by line 6
> via telnet from 192.0.2.1 to 198.51.100.10
< refused by line 4
> via telnet from 192.0.2.1 to 203.0.113.1
< refused by attempt to
> via telnet from 192.0.2.1
< admitted 1 by line 6

= destination: other addresses of the same network are not the device's
address 192.0.2.10/24:
> via telnet from 192.0.2.1 to 192.0.2.11
< refused by attempt to

= destination: unsaid answers, all and nothing
% entry-first unsaid-answers=nothing
address 192.0.2.10/24:
> via telnet from 192.0.2.1
< refused by key unsaid-answers

= destination: unsaid answers all
address 192.0.2.10/24:
entry vty 0-11: check nothing
> via telnet from 192.0.2.1
< admitted 1 by line 2

= destination: the management VLAN
management:
    vlan 64
address 192.0.2.10/24:
    vlan 64
address 198.51.100.10/24:
    vlan 65
address 203.0.113.10/24:
entry vty 0-11: check nothing
> via telnet from 192.0.2.1 to 192.0.2.10
< admitted 1 by line 8
> via telnet from 192.0.2.1 to 198.51.100.10
< refused by line 6
> via telnet from 192.0.2.1 to 203.0.113.10
< refused by line 2
> via telnet from 192.0.2.1
< admitted 1 by line 8

= destination: only addresses of the source's family count
address 192.0.2.10/24:
entry vty 0-11: check nothing
> via telnet from 2001:db8::1
< refused by attempt from
> via telnet from 2001:db8::1 to 192.0.2.10
< refused by attempt to
> via telnet from 192.0.2.1
< admitted 1 by line 2

= destination: an unknown address may be any
address 192.0.2.10/24:
    answers nothing
address unknown:
    answers telnet
entry vty 0-11: check nothing
> via telnet from 192.0.2.1 to 203.0.113.1
< unknown by line 3
> via telnet from 192.0.2.1 to 192.0.2.10
< refused by line 2
> via telnet from 192.0.2.1
< unknown by line 3

= destination: an unknown address does not matter where it would not decide
address 192.0.2.10/24:
address unknown:
    answers nothing
entry vty 0-11: check nothing
> via telnet from 192.0.2.1
< admitted 1 by line 4
> via telnet from 192.0.2.1 to 203.0.113.1
< refused by line 3

= sources: management first, then the service, then the VTY
management:
    from wide
telnet:
    from middle
entry vty 0-11:
    check nothing
    from tight
sources wide:
    allow 10.64.0.0/16
sources middle:
    allow 10.64.0.0/20
sources tight:
    allow 10.64.0.0/24
> via telnet from 192.0.2.1
< refused by line 8
> via telnet from 10.64.200.1
< refused by line 10
> via telnet from 10.64.9.1
< refused by line 12
> via telnet from 10.64.0.9
< admitted 1 by line 6

= sources: first match decides
sources l:
    deny 10.64.1.0/24
    allow 10.64.0.0/16
    deny any
telnet:
    from l
entry vty 0-11: check nothing
> via telnet from 10.64.1.5
< refused by line 2
> via telnet from 10.64.2.5
< admitted 1 by line 7
> via telnet from 192.0.2.1
< refused by line 4
> via telnet from 2001:db8::1
< refused by line 4

= sources: said for one family, the other passes
sources l:
    allow 10.64.1.0/24
telnet:
    from l ipv4
entry vty 0-11: check nothing
> via telnet from 10.64.1.5
< admitted 1 by line 5
> via telnet from 10.64.2.5
< refused by line 1
> via telnet from 2001:db8::1
< admitted 1 by line 5

= sources: a list of its own for each family
sources four:
    allow 10.64.1.0/24
sources six:
    allow 2001:db8::/32
telnet:
    from four ipv4
    from six ipv6
entry vty 0-11: check nothing
> via telnet from 2001:db8::1
< admitted 1 by line 8
> via telnet from 2001:db9::1
< refused by line 3

= sources: a list that does not exist lets pass
telnet:
    from nowhere
entry vty 0-11: check nothing
> via telnet from 192.0.2.1
< admitted 1 by line 3

= sources: a list that does not exist denies
% entry-first missing-list=deny
telnet:
    from nowhere
> via telnet from 192.0.2.1
< refused by line 2

= sources: none given is in doubt, unless the list treats all alike
sources some:
    allow 10.64.1.0/24
sources all:
    allow any
sources none:
    deny any
telnet: from some
entry vty 0-11: check nothing
web:
    http on
    https on
    check nothing
    from all
door a:
    on
    from none
> via telnet
< unknown by attempt from
> via http
< admitted 1 by line 12
> via door:a
< refused by line 6

= VTYs: those that no statement names have unsaid values
entry vty 0-3:
    check nothing
> via telnet from 192.0.2.1 busy 0-3
< dropped by key unsaid-vty
> via telnet from 192.0.2.1 busy 0-11
< refused by key vtys

= VTYs: as many as the profile says, and those that the sheet names beyond
% entry-first vtys=2
entry vty 7:
    check nothing
> via telnet from 192.0.2.1 busy 0-1
< admitted 1 by line 2
> via telnet from 192.0.2.1 busy 0-7
< refused by line 1

= VTYs: accepting takes the lowest free one that accepts
entry vty 0-3:
    accept nothing
entry vty 4:
    closed
entry vty 5-11:
    check nothing
    accept telnet
> via telnet from 192.0.2.1
< admitted 1 by line 6
> via telnet from 192.0.2.1 busy 4-11
< refused by line 2
> via telnet from 192.0.2.1 busy 5-11
< refused by line 2

= VTYs: the lowest free one is closed and nobody accepts
entry vty 0:
    closed
entry vty 1-11:
    accept nothing
> via telnet from 192.0.2.1
< refused by line 2
> via telnet from 192.0.2.1 busy 0
< refused by line 4

= VTYs: nobody accepts, unsaid
% entry-first unsaid-accept=ssh
device a:
> via telnet from 192.0.2.1
< refused by key unsaid-accept

= VTYs: nothing is accepted, unsaid
% entry-first unsaid-accept=nothing
device a:
> via telnet from 192.0.2.1
< refused by key unsaid-accept

= VTYs: first-free takes the lowest free one, which may not accept
% entry-first vty-pick=first-free
entry vty 0:
    accept ssh
entry vty 1-11:
    check nothing
> via telnet from 192.0.2.1
< refused by line 2
> via telnet from 192.0.2.1 busy 0
< admitted 1 by line 4
> via telnet from 192.0.2.1 busy 0-11
< refused by line 3

= VTYs: the VTY's own list decides, and no other VTY is tried
entry vty 0:
    from crew
    check nothing
entry vty 1-11:
    check nothing
sources crew:
    allow 10.64.0.0/16
> via telnet from 192.0.2.1
< refused by line 6
> via telnet from 192.0.2.1 busy 0
< admitted 1 by line 5

= VTYs: web ways take none
entry vty 0-11:
    closed
web:
    http on
    check nothing
> via http from 192.0.2.1 busy 0-11
< admitted 1 by line 5

= pause: failures of anybody stop new remote logins, but for the list and the ports
management:
    pause 60s after 2 except office
sources office:
    allow 10.64.1.0/24
entry vty 0-11:
    check password
    password readable boat
entry console:
    check nothing
> via telnet from 192.0.2.1 pw x at 0
< denied by line 7
> via telnet from 192.0.2.2 pw y at 10
< denied by line 7
> via telnet from 192.0.2.3 pw boat at 20
< refused by line 2
> via telnet from 10.64.1.9 pw boat at 20
< admitted 1 by line 7
> via console at 20
< admitted 1 by line 9
> via telnet pw boat at 21
< unknown by attempt from
> via telnet from 192.0.2.3 pw boat at 70
< admitted 1 by line 7

= pause: a wrong answer from the exempt list does not make it longer
management:
    pause 60s after 2 except office
sources office:
    allow 10.64.1.0/24
entry vty 0-11:
    check password
    password readable boat
> via telnet from 192.0.2.1 pw x at 0
< denied by line 7
> via telnet from 192.0.2.2 pw y at 10
< denied by line 7
> via telnet from 10.64.1.9 pw z at 50
< denied by line 7
> via telnet from 192.0.2.3 pw boat at 70
< admitted 1 by line 7

= pause: only failures within the time count
management:
    pause 60s after 2 in 10s
entry vty 0-11:
    check password
    password readable boat
> via telnet from 192.0.2.1 pw x at 0
< denied by line 5
> via telnet from 192.0.2.1 pw y at 10
< denied by line 5
> via telnet from 192.0.2.1 pw boat at 11
< admitted 1 by line 5
> via telnet from 192.0.2.1 pw y at 12
< denied by line 5
> via telnet from 192.0.2.1 pw boat at 13
< refused by line 2
"""
