"""Components with named terminals, and the conductors that join them."""

from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field
from typing import Literal

Role = Literal["line_a", "line_b", "leg_a", "leg_b", "start", "fan", "control", "ground", "kit", "feed"]
Symbol = Literal[
    "compressor", "fan", "capacitor", "contactor", "relay", "box", "heater", "ground", "supply", "resistor",
    "overload", "switch",
]  # fmt: skip


@dataclass(frozen=True)
class Component:
    """Something with terminals.

    ``same`` lists terminals that may change places without any difference; ``joined`` what is one piece of
    metal inside it, whatever its coil does; ``tabs`` how many leads a terminal takes.
    """

    key: str
    title: str
    symbol: Symbol
    terminals: tuple[str, ...]
    same: tuple[tuple[str, ...], ...] = ()
    joined: tuple[tuple[str, str], ...] = ()
    tabs: int = 2
    words: Mapping[str, str] = field(default_factory=dict)

    def at(self, terminal: str) -> str:
        """Return a terminal's full name, as nets carry it."""
        return f"{self.key}.{terminal}"


@dataclass(frozen=True)
class Conductor:
    """One conductor: what it is called and the two terminals it joins."""

    lead: str
    one: str
    two: str
    role: Role
    note: str = ""


@dataclass(frozen=True)
class Circuit:
    """Components and conductors: everything a plan's drawing, moves and check come from."""

    components: tuple[Component, ...]
    conductors: tuple[Conductor, ...]

    def terminals(self) -> list[str]:
        """Return every terminal's full name, component by component."""
        return [c.at(t) for c in self.components for t in c.terminals]

    def component(self, terminal: str) -> Component:
        """Return the component a terminal belongs to."""
        key = terminal.split(".", 1)[0]
        return next(c for c in self.components if c.key == key)


class Joined:
    """A partition of terminals: which are one piece of copper."""

    def __init__(self, terminals: Iterable[str]) -> None:
        self._up = {t: t for t in terminals}

    def find(self, terminal: str) -> str:
        """Return the representative of a terminal's net."""
        while self._up[terminal] != terminal:
            self._up[terminal] = self._up[self._up[terminal]]
            terminal = self._up[terminal]
        return terminal

    def join(self, one: str, two: str) -> None:
        """Join two terminals."""
        self._up[self.find(one)] = self.find(two)

    def same(self, *terminals: str) -> bool:
        """Tell whether all are one net; a terminal that is not there is on none."""
        if any(t not in self._up for t in terminals):
            return False
        return len({self.find(t) for t in terminals}) == 1

    def has(self, terminal: str) -> bool:
        """Tell whether a terminal is there at all."""
        return terminal in self._up

    def nets_terminals(self, start: str) -> list[str]:
        """Return the terminals whose name starts so."""
        return [t for t in self._up if t.startswith(start)]

    def net(self, terminal: str) -> frozenset[str]:
        """Return the net of a terminal."""
        mine = self.find(terminal)
        return frozenset(t for t in self._up if self.find(t) == mine)

    def nets(self) -> frozenset[frozenset[str]]:
        """Return every net, those of a single terminal among them."""
        found: dict[str, set[str]] = {}
        for t in self._up:
            found.setdefault(self.find(t), set()).add(t)
        return frozenset(frozenset(n) for n in found.values())


def nets_of(circuit: Circuit) -> Joined:
    """Return the nets of a circuit: its conductors, and what is one piece inside a component."""
    joined = Joined(circuit.terminals())
    for c in circuit.conductors:
        joined.join(c.one, c.two)
    for part in circuit.components:
        for one, two in part.joined:
            joined.join(part.at(one), part.at(two))
    return joined


def listed(circuit: Circuit) -> list[list[str]]:
    """Return the nets of two terminals and more, in the order of the components."""
    joined, order = nets_of(circuit), {t: i for i, t in enumerate(circuit.terminals())}
    found = [sorted(n, key=order.__getitem__) for n in joined.nets() if len(n) > 1]
    return sorted(found, key=lambda n: order[n[0]])
