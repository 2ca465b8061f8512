"""The glossary: the words Dreck uses, a line each."""

WORDS = {
    "target": "what a command works on: path.py, a folder, path.py::function or path.py::Class.method",
    "tangle": "how much a reader holds in mind: over the lines of a function, the sum of the tests held open at each",
    "depth": "how many tests and loops stand around the innermost line",
    "ways": "how many ways through a function its tests allow",
    "buried": "the tests held open at the last line that leaves with a result: how deep the success case sits",
    "step": "one small rewrite of one kind at one place; `dreck steps` lists the kinds",
    "test": "the condition of an if, elif or while; an outcome is one being true or false",
    "exit": "how a way ends: return, raise, continue, break, or falling off the end",
    "act": "something that happens on a way: a call, an assignment others see, something printed",
    "kind": "what a switch tells apart: classes, members of an enum, codes; its story is what is done for it",
    "discriminant": "what a switch is on, such as load.kind",
    "verdict": "proved: on every path; tested: on all inputs tried; differs: an input shows it; unsettled: neither",
    "assumption": "a condition under which a verdict holds, such as total-order; a verdict names those it rests on",
    "reach": "which outcomes of tests the inputs of a trial, or pins, came to",
    "stand-in": "an object made up to play an argument; it does what it is asked, and what is asked of it is compared",
    "slip": "a small wrong change, made to see whether inputs or tests notice it",
    "pin": "a generated test that holds what a function does today",
    "cage": "where code is tried: a process that cannot write, delete, reach the network or start others",
}
