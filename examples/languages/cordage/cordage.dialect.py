"""Cordage: knots are tied into persons and gates; bands and rises are said; the rest is left to the translations."""

from overhang.teach import inverse_mask, last_wins, pour


def read(tree, device):
    knots = {each.word(1): each for each in tree.select("knot")}
    for block in [*tree.select("person"), *tree.select("gate")]:
        settle(block)
        tie(block, block, knots, set(block_words(block, "loose")), ())
        for word in ("tie", "loose"):
            for each in block.select(word):
                each.take()
    for band in tree.select("band"):
        say_band(device, band)
    rises = tree.select("rise")
    for number, rise in enumerate(rises, 1):
        say_rise(device, rise, number)
    for each in [*knots.values(), *tree.select("band"), *rises]:
        each.take()
    return tree


def key(statement):
    return "open" if statement.head == "shut" else statement.head


def settle(block):
    """Of what is said twice the last counts; each secret does."""
    plain = [each for each in block.children if each.head != "secret"]
    kept = last_wins(plain, key)
    for each in plain:
        if each not in kept and each.head not in ("tie", "loose"):
            each.drop()


def block_words(block, word):
    return [name for each in block.select(word) for name in each.words[1:]]


def tie(into, block, knots, loose, trail):
    """Pour what a block ties: of two knots the first comes first, and what a knot says comes before what it ties."""
    for name in block_words(block, "tie"):
        knot = knots.get(name)
        if knot is None or name in trail:
            continue
        copy = knot.copy()
        settle_copy(copy)
        for each in [one for one in copy.children if one.head in loose or one.head in ("tie", "loose")]:
            each.remove()
        pour(copy, into, key=key, also=("secret",))
        tie(into, knot, knots, loose, (*trail, name))


def settle_copy(copy):
    kept = last_wins([each for each in copy.children if each.head not in ("secret", "tie", "loose")], key)
    for each in list(copy.children):
        if each.head not in ("secret", "tie", "loose") and each not in kept:
            each.remove()


def say_band(device, band):
    """What is never in a band comes first."""
    sources = device.sources(band.word(1), at=band)
    for each in band.select("not"):
        sources.deny(each.word(1), at=each)
    for each in band.select("hold"):
        if each.word(1) == "band":
            sources.allow("list", each.word(2), at=each)
        elif each.word(2) == "mask":
            sources.allow(each.word(1), "mask", inverse_mask(each.word(3)), at=each)
        else:
            sources.allow(each.word(1), at=each)


def say_rise(device, rise, number):
    at = rise.words.index("secret")
    names = rise.words[3:at]
    step = device.elevation(rise.word(1), at=rise).exists()
    form = {"clear": "readable", "sealed": "hashed"}[rise.word(at + 1)]
    if names:
        device.policy(f"rise {number}", at=rise).for_accounts(*first_names(names))
    step.another_password(form, rise.rest(at + 2), *(["where", f"rise {number}"] if names else []))


def first_names(names):
    return list(dict.fromkeys(names))
