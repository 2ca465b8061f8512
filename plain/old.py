from dataclasses import dataclass
from enum import Enum


class Kind(Enum):
    GLASS = 1
    WOOD = 2


class Load:
    most = 10

    def __init__(self, kind, kilos):
        self.kind = kind
        self.kilos = kilos

    def heavy(self):
        return self.kilos > self.most


class Wet(Load):
    def heavy(self):
        return True


@dataclass
class Slip:
    number: int
    load: Load


RATES = {"a": 3}


def rate(kind):
    return RATES.get(kind, 0)


def f(load: Load):
    if load.heavy():
        return 1
    return 0


def g(slip: Slip):
    if slip.load.kilos > 3 and slip.number:
        return 1
    return slip.number


def h(kind: Kind, n):
    if kind is Kind.GLASS:
        return 1
    return rate(n)


def k(load):
    if isinstance(load, Wet):
        return 1
    return load
