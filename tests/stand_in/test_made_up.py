"""Made-up secrets: none is a real one, and what was equal, empty or open stays so."""

import pytest
from hypothesis import given
from hypothesis import strategies as st

from overhang.language import read_sheet, unparse
from overhang.model.masking import mask
from overhang.model.verification import opens, plain_text
from overhang.stand_in.made_up import MadeUp, secrets_of
from overhang.stand_in.places import NotHere, Sources, loopback, places_of
from overhang.stand_in.run import safe_name
from tests.support.generator import Made

SHEET = f"""\
user lena: password readable gull
user omar: password masked {mask("gull")}
user ines: password hashed $6$quay$KBbHUWrGXPRqnxdmNZIGpmcWMAkWGPnk7VLa5svqoSgjsXsz.1cINgLLAmdlYG0YCUhyEJLLRz4KfRbUo0l6L1
user piet: password none
user mara: password factory
user nils: password withheld
entry vty 0-3: password withheld
elevation 15: password opaque tern
servers radius g: server 192.0.2.9 shared-secret opaque kelp
"""


def test_what_is_equal_stays_equal() -> None:
    device = read_sheet(SHEET, "t").device
    made = MadeUp(device)
    other = made.device(device)
    text = made.text_for(device, "gull")
    assert text != "gull"
    assert made.text_for(device, "tide") == "tide"
    users = {name: each.password.value for name, each in other.users.items() if each.password is not None}
    assert [opens(users[name], text) for name in ("lena", "omar", "nils")] == [True, True, False]
    assert [users[name].form.value for name in users] == ["readable", "masked", "hashed", "none", "factory", "hashed"]
    vtys = {each.password.value for each in other.vtys.values() if each.password is not None}
    assert len(vtys) == 1
    assert plain_text(other.groups["g"].servers[0].value.secret) not in (None, "", "kelp")


@pytest.mark.parametrize("seed", range(20))
def test_no_real_secret_is_left_and_the_rest_is_as_it_was(seed: int) -> None:
    device = Made(seed).resolved.device
    other = MadeUp(device).device(device)
    assert unparse(device, secrets=False) == unparse(other, secrets=False)
    real = {text for _, each in secrets_of(device) if (text := plain_text(each))}
    assert not real & {plain_text(each) for _, each in secrets_of(other)}


def test_only_this_machine_is_listened_on() -> None:
    for text in ("192.0.2.1", "0.0.0.0", "::1", "10.64.0.1", "localhost", ""):
        with pytest.raises(NotHere):
            loopback(text)
    sources = Sources({"10.64.1.7": "127.0.0.9", "2001:db8::9": "127.0.0.10"})
    assert [str(sources.of(peer)) for peer in ("127.0.0.9", "127.0.0.10", "127.0.0.1")] == [
        "10.64.1.7",
        "2001:db8::9",
        "127.0.0.1",
    ]
    assert [place.here for place in places_of([])] == ["127.0.0.1"]


@given(st.text())
def test_a_device_cannot_name_a_folder_elsewhere(name: str) -> None:
    made = safe_name(name)
    assert made
    assert "/" not in made
    assert made not in (".", "..")
