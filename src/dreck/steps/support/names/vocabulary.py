"""The vocabulary: words that may or may not stand in a name for a condition."""

import datetime
import os
import re
from collections import deque
from pathlib import Path


def _words(text: str) -> frozenset[str]:
    return frozenset(text.split())


ASKING = (
    *("is", "has", "can", "must", "may", "should", "needs", "wants", "are", "was", "will", "holds", "does"),
    *("requires", "allows", "supports", "contains", "covers", "accepts", "expects", "uses"),
    *("exceeds", "reaches"),
)
REFUSING = re.compile(r"(refuse|reject|deny|denied|forbid|not allowed|not permitted|illegal)", re.I)
SPELT = _words("lower upper strip lstrip rstrip casefold title capitalize")
"""The same word, spelt otherwise."""
_KINDS = (str, bytes, list, dict, set, int, float, object, os.path, datetime.datetime, datetime.timedelta, Path, deque)
TOOLS = frozenset(name for kind in _KINDS for name in dir(kind)) | _words(
    """
    debug info warning warn error exception critical log print write sub match search compile open read close
    flush send next isinstance getattr setattr len sorted echo execute executemany commit rollback connect disconnect
    submit dispatch trigger notify fail fget fset fdel out trace progress
    """
)
"""Methods of built-in types, of texts' patterns, of logs and files: they say nothing of the trade."""
IDLE = _words(
    """
    get set use do make create run call handle process new from to build parse visit add append emit apply on the
    init check yield return match find
    """
)
"""Verbs that any function may begin with."""
MAKING = _words(
    """
    get find make create build parse compute calculate calc determine guess choose pick select convert format normalize
    resolve detect infer read write fetch render encode decode generate handle process add set translate suggest
    classify categorize categorise identify recognize recognise
    """
)
"""Verbs for how a function comes to what it gives: what it gives is called by the words behind them."""
DEEDS = _words(
    """
    toggle show change set get send receive upload download open close start stop add remove delete create update find
    print write read load save clear reset move copy select handle parse build make check apply raise lower increase
    decrease switch enable disable insert append skip ignore return call run enter leave weigh sort count log report ask
    answer draw fill pop push edit suspend dump cancel accept refuse
    """
)
"""Verbs that a function may be called by without another one before them."""
GENERAL_THINGS = _words(
    """
    index key ret arg args tok item value elem element obj object res result tmp data each val num idx pos ptr ref info
    thing param params option options config kwargs
    """
)
"""What a variable may be called whatever it holds."""
OF_ANYTHING = _words(
    """
    output answer ok flag start end count state line text string content number diff frac posn char chars func spec
    default next other new old last first
    """
)
"""What a variable may be called, too, that says no more than how it is used."""
TAKING = _words("read readline readlines recv pop popleft popitem next input send write")
"""What is called to take something from somewhere, or to put it there."""
HOW_OFTEN = _words("always never only allow allows use uses keep keeps needs wants")
"""What a name begins with that says by itself what holds."""
HOLDERS = _words("stack list queue set dict map names items values")
SMALL = _words("a an the if when for is are of in to we it this that and or")
ARTICLES = _words("a an the this that these those its our their")
CONDITIONS = _words("if when unless for while we it they you")
"""What a comment has in it that tells of a case, and is not what is done."""
ORDERS = _words(
    """
    skip ignore check handle avoid do dont make get set add remove use return try find only first then also see todo
    fixme note xxx hack special case else now type noqa pragma let keep no not otherwise update create raise just same
    was
    """
)
"""What a comment begins with that says what is done, and not what is."""
PARTICIPLES = _words("seen known found taken given forbidden hidden broken done")
ADJECTIVES = ("ed", "able", "ible", "ive", "al", "ful", "y", "en", "ent", "ous", "ic")
"""How a word ends that says what something is."""
MEMBERS = {"exclude": "excluded", "ignore": "ignored", "skip": "skipped", "include": "included"}
"""What those are that stand in a collection of this name."""
TURNED = {
    **{"valid": "invalid", "known": "unknown", "open": "closed", "empty": "filled", "invalid": "valid"},
    **{"unknown": "known", "closed": "open", "disabled": "enabled", "enabled": "disabled", "inactive": "active"},
}
PLAIN_ADJECTIVES = _words(
    """
    wet dry old new late early heavy light full bad free small large big short long blank dead stale shut closed open
    wrong clean dirty idle due hot cold unknown sold safe quick lazy strict verbose quiet silent eager global abstract
    absolute ready busy stale fresh valid invalid unique final immutable sync async secure dense sparse flat deep
    shallow ripe raw plain remote offline online mutable alone whole loose rigid secret urgent frequent rare overdue
    """
)
"""What says what something is, and does not look like it."""
STATES = _words("too not no already still unknown missing invalid wrong")
"""What begins that names a state: `too heavy`, `no permit`, `already open`."""
OF_CODE = _words(
    """
    needed used necessary right correct safe ok okay possible really why sure implemented supported fixed tested true
    false lazy complicated ugly broken odd weird strange enough hard difficult easy slow fast special normal
    """
)
"""What a comment says of the code rather than of the case."""
STILL = _words("still already now yet")
PREPOSITIONS = _words(
    """
    for of in on at by with to from than until before after because if when while since and or but above below
    here there anyway
    """
)
"""Where a state ends that a message names."""
LEAVING_OUT = _words("skip ignore drop refuse reject exclude omit")
"""What is done with those that a filter does not want."""
PEOPLE = _words("we they you i somebody anybody everybody")
OF_ANY_ERROR = _words("request argument value operation state input type data usage call name key index")
"""What an invalid one of says nothing of the trade."""
HOW_MANY = _words("single all one many each both every first last multi")
AMOUNTS = _words("count size length total amount quantity number weight balance sum width height depth")
"""What says how much or how many."""
ABBREVIATED = _words(
    """
    blk cls srf ptr cfg msg msgs cmd cmds src dst tmp num nums idx val vals obj objs elem elems attr attrs arg args
    kwargs fn func cb cnt len str strs param params buf lst arr tbl fld evt err errs resp req ctx mgr sz ty tp pos
    conn conns addr addrs proc hdr pkt fd fid prev curr cur
    """
)
"""What a variable is called for short: no word of a name."""
