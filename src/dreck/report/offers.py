"""Offers on a terminal: what could be done, best first; and where one of them stands."""

from pathlib import Path

from rich.table import Table
from rich.text import Text

from dreck.model.views.measures import short
from dreck.report.lines import DOUBT, GOOD, console, plain
from dreck.report.totals import count
from dreck.source.files import read
from dreck.source.functions import functions_in, parse
from dreck.source.lines import split_lines
from dreck.workbench.queries.gains import Offer
from dreck.workbench.queries.offer import Offers


def show_offers(found: Offers, top: int) -> None:
    """Each offer in three lines: what and where, what it brings, what to type."""
    out = console()
    for number, offer in enumerate(found.offers[:top], 1):
        head = Text.assemble((f"{number:>3}  ", "bold"), (", ".join(offer.steps), "bold"), f"  {_place(offer)}")
        if offer.makes:
            more = ", ..." if len(offer.makes) > _NAMES else ""
            head.append(f"  makes {', '.join(offer.makes[:_NAMES])}{more}")
        out.print(head, soft_wrap=True)
        out.print(Text(f"     {_brings(offer)}", GOOD), soft_wrap=True)
        if offer.needs:
            out.print(
                Text(f"     {', '.join('needs a name' if need == 'a name' else need for need in offer.needs)}", DOUBT),
                soft_wrap=True,
            )
        out.print(plain(f"     {offer.command}"), soft_wrap=True)
    if not found.offers:
        out.print("nothing that would take something off the reader")
    elif len(found) > top:
        out.print(f"{len(found) - top} more offers (--top N)")
    for name in found.unfinished:
        out.print(plain(f"{name}: not every step was tried, the time for one function was used up"), style=DOUBT)
    for path, reason in found.skipped:
        out.print(plain(f"left out: {reason if reason.startswith(path) else f'{path}: {reason}'}"), style=DOUBT)


_NAMES = 3


def _place(offer: Offer) -> str:
    lines = f"lines {offer.line} to {offer.last}" if offer.last > offer.line else f"line {offer.line}"
    return f"{offer.function}  {lines}"


def _brings(offer: Offer) -> str:
    before, after = offer.before, offer.after
    pairs = (
        ("tangle", before.tangle, after.tangle),
        ("depth", before.depth, after.depth),
        ("ways", before.ways, after.ways),
        ("longest test", before.longest_test, after.longest_test),
    )
    told = ", ".join(f"{name} {short(old)} -> {short(new)}" for name, old, new in pairs if old != new)
    moved = before.tangle - after.tangle - offer.gain
    elsewhere = f", {moved} of it in what is new" if moved > 0 else ""
    how = "proved" if offer.verdict == "proved" else "a trial has to show it"
    longer = f", {count(offer.grows, 'line')} more" if offer.grows > 0 else ""
    return f"{offer.gain} less tangle{elsewhere}{longer} ({told}); {how}"


def show_offer(offer: Offer, number: int) -> None:
    """The function with the lines of the offer standing out and the others dim."""
    out = console()
    path, _, name = offer.function.partition("::")
    file = read(Path(path))
    function = next(f for f in functions_in(parse(file.text, Path(path)), file.text) if f.name == name)
    show_offers(Offers((offer,)), 1)
    table = Table(box=None, pad_edge=False, padding=(0, 1, 0, 0), show_header=False)
    table.add_column(justify="right", no_wrap=True, style="dim")
    table.add_column(overflow="fold")
    for at, line in enumerate(split_lines(file.text)[function.start - 1 : function.end], function.start):
        meant = offer.line <= at <= offer.last
        table.add_row(str(at), Text(line.rstrip(), "bold" if meant else "dim"))
    out.print(table)
    out.print(f"offer {number}: {count(offer.last - offer.line + 1, 'line')}")
