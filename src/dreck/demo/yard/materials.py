"""Materials the yard takes in, and how each of them is handled."""

from dataclasses import dataclass, field
from enum import Enum


class Material(Enum):
    GLASS = "glass"
    PAPER = "paper"
    METAL = "metal"
    WOOD = "wood"
    BATTERY = "battery"


HAZARDOUS = {Material.BATTERY}


@dataclass
class Load:
    """What somebody brings to the gate."""

    material: Material
    kilos: int
    wet: bool = False
    checked: bool = True
    notes: list = field(default_factory=list)


class Bale:
    def __init__(self, kilos, straps=4):
        self.kilos = kilos
        self.straps = straps


class Drum:
    def __init__(self, litres, sealed=True):
        self.litres = litres
        self.sealed = sealed


class LooseHeap:
    def __init__(self, cubic_metres):
        self.cubic_metres = cubic_metres


def handling(kind):
    """The line a material goes to."""
    if kind == "glass":
        line = "crusher"
    elif kind == "paper":
        line = "press"
    elif kind == "metal":
        line = "magnet"
    elif kind == "wood":
        line = "shredder"
    elif kind == "battery":
        line = "vault"
    else:
        line = "hand"
    return line


def floor_space(item):
    """Square metres an item needs on the yard."""
    if isinstance(item, Bale):
        space = 1.5
        if item.kilos > 800:
            space = 2.5
    else:
        if isinstance(item, Drum):
            if item.sealed:
                space = item.litres / 400
            else:
                # an open drum needs room for a tray around it
                space = item.litres / 400 + 1
        else:
            if isinstance(item, LooseHeap):
                space = item.cubic_metres * 0.8
            else:
                raise TypeError("cannot be stored: " + type(item).__name__)
    return space
