"""Bracken: the orders are played from the first to the last, and what they come to is said."""

from overhang.teach import Places, secrets

FORMS = {"hash": "hashed", "plain": "readable"}
RANKS = {"skipper": "15", "mate": "5", "hand": "1"}
WAYS = {"desk": "console", "shell": "ssh", "wire": "telnet"}


class Account:
    def __init__(self, order, rank):
        self.order, self.rank = order, rank
        self.words = []
        self.barred = set()


class State:
    def __init__(self):
        self.crew = {}
        self.gate = Places()
        self.doors = {}
        self.ask = self.raised = None


def read(tree, device):
    state = State()
    for order in left_standing(tree):
        play(state, order)
    say(state, device)
    for order in list(tree.children):
        if order.head not in ("call", "tower"):
            order.take() if order.head in KNOWN else order.doubt("this order is not known")
    return tree


KNOWN = ("hire", "dismiss", "word", "forget", "bar", "admit", "door", "gate", "ask", "raise", "undo")


def left_standing(tree):
    """The orders that were not taken back."""
    done = []
    for order in tree.children:
        if order.head == "undo":
            del done[max(0, len(done) - int(order.word(1, "1"))) :]
        else:
            done.append(order)
    return done


def play(state, order):
    who = state.crew.get(order.word(1))
    if order.head == "hire":
        like = state.crew.get(order.word(3))
        rank = order.word(3) if order.word(2) == "as" else like.rank if like else "hand"
        state.crew[order.word(1)] = Account(order, rank)
    elif order.head == "dismiss":
        state.crew.pop(order.word(1), None)
    elif order.head == "word" and who:
        who.words.append((FORMS.get(order.word(2), "opaque"), order.rest(3), order))
    elif order.head == "forget" and who:
        who.words.clear()
    elif order.head in ("bar", "admit") and who:
        change = who.barred.update if order.head == "bar" else who.barred.difference_update
        change(order.words[3:])
    elif order.head == "door":
        state.doors[order.word(1)] = order
    elif order.head == "gate":
        play_gate(state.gate, order)
    elif order.head == "ask":
        state.ask = order
    elif order.head == "raise":
        state.raised = order


def play_gate(gate, order):
    """A rule is kept as its order, its verb, and whom it is about."""
    if order.word(1) == "add":
        gate.add((order, order.word(2), order.word(3)))
    elif order.word(1) == "put":
        gate.insert(int(order.word(2)), (order, order.word(3), order.word(4)))
    elif order.word(1) == "strike":
        gate.strike(int(order.word(2)))
    elif order.word(1) == "swap":
        one, other = int(order.word(2)), int(order.word(3))
        first, second = gate.at(one), gate.at(other)
        if first and second:
            gate.replace(one, second)
            gate.replace(other, first)


def say(state, device):
    for name, account in state.crew.items():
        user = device.user(name, at=account.order).level(RANKS.get(account.rank, "1"))
        secrets(user, account.words)
        if account.barred:
            user.not_via(*(WAYS[way] for way in WAYS if way in account.barred))
    for name in ("shell", "wire"):
        order = state.doors.get(name)
        if order:
            device.block(WAYS[name], at=order).say("on" if order.word(2) == "open" else "off")
    for order, verb, whom in state.gate:
        first, dash, last = whom.partition("-")
        sources = device.sources("gate", at=order)
        sources.say("allow" if verb == "let" else "deny", *([first, "to", last] if dash else [whom]))
    if len(state.gate):
        order = state.gate.at(1)[0]
        lets = any(verb == "let" for _, verb, _ in state.gate)
        device.sources("gate", at=order).at_end("deny" if lets else "allow")
        device.block("entry", "vty", "0-2", at=order).from_("gate")
    if state.ask and "tower" in state.ask.words:
        device.methods("crew-first", "for", "login", at=state.ask).users("no", "goes-on").servers("tower")
        device.block("entry", "vty", "0-2", at=state.ask).check("methods", "crew-first")
    if state.raised:
        form = FORMS.get(state.raised.word(1), "opaque")
        device.elevation("15", at=state.raised).password(form, state.raised.rest(2))
