"""Stories: what a function comes to when the answers to some tests are known, as lines, comments kept."""

import ast
from collections.abc import Sequence
from dataclasses import dataclass

from dreck.model.views.shape import leaves
from dreck.source.copying import copied
from dreck.source.walking import walk
from dreck.steps.naming.predicates import first_line
from dreck.steps.replace.arms_settled import Left, settled
from dreck.steps.replace.dead import is_overwritten
from dreck.steps.replace.folding import Answer, FoldValues, fold, test_of
from dreck.steps.support.raw import RAW
from dreck.steps.support.sheet import Sheet, one_line
from dreck.steps.support.spelled import spelled
from dreck.steps.support.trees import Untouchable

Arm = tuple[ast.If, list[str]]
"""One arm of a ladder, and the comments above it."""


@dataclass(slots=True)
class Teller:
    """Tells a block as it is once the known tests are answered."""

    sheet: Sheet
    answer: Answer
    unit: str
    keep_empty: bool = True
    """Whether a test stays that decides nothing any more, because asking it may fail."""
    settle: bool = False
    """Whether an arm goes that the arms before it never leave anything to, and a test that they have answered."""

    def chunks(self, body: list[ast.stmt], depth: int, spaced: bool = False) -> list[list[str]]:
        """One list of lines for each statement that is left, indented by `depth` units; `spaced`: with the blank lines
        between them."""
        found: list[list[str]] = []
        at = 0
        while at < len(body):
            run = self._guards(body, at) if self.settle else []
            if len(run) > 1:
                told, ends = self._settled_guards(run, depth)
                found += told
                at += len(run)
                if ends:
                    break
                continue
            told = self._statement(body[at], depth)
            if spaced and found and told and told[0] and told[0][0] and self._is_set_off(body[at]):
                told[0] = ["", *told[0]]
            found += told
            if told and self._left(body[at]):
                break
            at += 1
        return [c for c, following in zip(found, [*found[1:], []], strict=False) if not is_overwritten(c, following)]

    def _guards(self, body: list[ast.stmt], start: int) -> list[ast.If]:
        """Tests in a row of which each leaves where it holds."""
        run: list[ast.If] = []
        for s in body[start:]:
            if not isinstance(s, ast.If) or s.orelse or not leaves(s.body):
                break
            run.append(s)
        return run

    def _settled_guards(self, run: list[ast.If], depth: int) -> tuple[list[list[str]], bool]:
        """What is left of guards in a row, and whether nothing comes behind them."""
        open_ = [s for s in run if self._known(s.test) is not False]
        certain = next((at for at, s in enumerate(open_) if self._known(s.test)), len(open_))
        arms = [(s, self._comments_above(s)) for s in open_[:certain]]
        tests = [fold(s.test, self.answer) for s, _ in arms]
        left: list[Left] = settled(tests) if arms else []
        if left and self._would_lose_words(arms, [], left):
            left = list(enumerate(tests))
        found: list[list[str]] = []
        for number, test in left:
            s, above = arms[number]
            if test is None:
                return [*found, *self._statement_of(s, above, depth)], True
            found.append(self._arm(s, above, test, depth, "if", test is not tests[number]))
        if certain < len(open_):
            return [*found, *self._statement(open_[certain], depth)], True
        return found, False

    def _statement_of(self, s: ast.If, above: list[str], depth: int) -> list[list[str]]:
        """What is done where a test holds, which is not asked any more."""
        said = [f"{self.unit * depth}{text}" for text in (*above, *self._beside(s.lineno))]
        inner = self._whole(s.body, depth)
        if inner and said:
            inner[0] = [*said, *inner[0]]
        return inner

    def lines(self, body: list[ast.stmt], depth: int) -> list[str]:
        """All lines of a block, with the comments at its end."""
        return [line for chunk in self._whole(body, depth, spaced=True) for line in chunk]

    def _whole(self, body: list[ast.stmt], depth: int, spaced: bool = False) -> list[list[str]]:
        found = self.chunks(body, depth, spaced)
        below = self._comments_below(body) if body and not any(map(self._left, body[:-1])) else []
        return [*found[:-1], [*found[-1], *(f"{self.unit * depth}{text}" for text in below)]] if found else found

    def _left(self, s: ast.stmt) -> bool:
        """Whether nothing after `s` runs, its known tests answered."""
        if isinstance(s, ast.If):
            known = self._known(s.test)
            if known is not None:
                return any(self._left(inner) for inner in (s.body if known else s.orelse))
            return bool(s.orelse) and all(any(self._left(n) for n in part) for part in (s.body, s.orelse))
        if isinstance(s, ast.Match) and (cases := self._cases(s)) is not None:
            is_whole = bool(cases) and cases[-1][1]
            return is_whole and all(any(map(self._left, case.body)) for case, _ in cases)
        return leaves([s])

    def _cases(self, s: ast.Match) -> list[tuple[ast.match_case, bool]] | None:
        """The cases that may come, the last one with whether it is certain; None where nothing is known of any."""
        found: list[tuple[ast.match_case, bool]] = []
        tests = [test_of(s.subject, case) for case in s.cases]
        known = [self._known(test) if test is not None else None for test in tests]
        if not any(k is not None and not isinstance(t, ast.Constant) for k, t in zip(known, tests, strict=True)):
            return None
        for case, answer in zip(s.cases, known, strict=True):
            if answer is not False:
                found.append((case, bool(answer)))
            if answer:
                break
        return found

    def _known(self, test: ast.expr) -> bool | None:
        folded = fold(test, self.answer)
        return folded.value if isinstance(folded, ast.Constant) and isinstance(folded.value, bool) else None

    # --- statements --------------------------------------------------------------------------------

    def _statement(self, s: ast.stmt, depth: int) -> list[list[str]]:
        above = [f"{self.unit * depth}{text}" for text in self._comments_above(s)]
        if isinstance(s, ast.Pass) and not above and not self._beside(s.lineno):
            return []
        if isinstance(s, ast.While) and self._known(s.test) is False:
            return self.chunks(s.orelse, depth)
        match s:
            case ast.If():
                return self._if(s, depth, above)
            case ast.Match() if (cases := self._cases(s)) is not None:
                return self._match(s, cases, depth, above)
            case ast.For() | ast.AsyncFor() | ast.While() | ast.With() | ast.AsyncWith() | ast.Try() | ast.Match():
                return [[*above, *self._compound(s, depth)]]
        if isinstance(s, ast.FunctionDef | ast.AsyncFunctionDef | ast.ClassDef) and self._asks(s):
            raise Untouchable("a function inside it asks, too")
        return [[*above, *self._simple(s, depth)]]

    def _if(self, s: ast.If, depth: int, above: list[str]) -> list[list[str]]:
        known = self._known(s.test)
        if known is not None:
            chosen = s.body if known else s.orelse
            said = [f"{self.unit * depth}{text}" for text in self._beside(s.lineno)]
            inner = self._whole(chosen, depth)
            lead = [*above, *said] if known else above  # what stands beside a test that fails is said of its own arm
            if inner and lead:
                inner[0] = [*lead, *inner[0]]
            return inner
        if not self.keep_empty and not self.lines(s.body, 0) and not self.lines(s.orelse, 0):
            return []
        return [[*above, *self._ladder(s, depth)]]

    def _match(
        self, s: ast.Match, cases: list[tuple[ast.match_case, bool]], depth: int, above: list[str]
    ) -> list[list[str]]:
        """The cases that are left; the one alone that is certain, guards alone as a ladder of tests."""
        if not cases:
            return []
        pad = self.unit * depth
        first, is_certain = cases[0]
        named = first.pattern.name if isinstance(first.pattern, ast.MatchAs) and first.guard is None else None
        if is_certain or named is not None:
            lead = [*above, *self._said_of(first, pad)]
            lead += [f"{pad}{named} = {self.sheet.code(s.subject)}"] if named is not None else []
            inner = self._whole(first.body, depth)
            return [[*lead, *inner[0]], *inner[1:]] if inner and lead else inner
        guards = [self._guard_alone(s, case) for case, is_certain in cases if not is_certain]
        lines = [*above, *self._raw(s.lineno, s.cases[0].pattern.lineno - 1, depth, s.cases[0].body)]
        if None not in guards:
            lines = list(above)
        for number, (case, is_certain) in enumerate(cases):
            deep = depth if None not in guards else depth + 1
            lines += self._said_of(case, self.unit * deep)
            if None not in guards and is_certain and all(leaves(other.body) for other, _ in cases[:-1]):
                return [[*lines, *self.lines(case.body, depth)]]
            if None not in guards:
                word = "elif" if number else "if"
                lines.append(f"{pad}else:" if is_certain else f"{pad}{word} {guards[number]}:")
            else:
                head = self._raw(case.pattern.lineno, case.body[0].lineno - 1, deep, case.body)
                lines += [f"{self.unit * deep}case _:"] if is_certain else head
            lines += self.lines(case.body, deep + 1) or [f"{self.unit * (deep + 1)}pass"]
        return [lines]

    def _guard_alone(self, s: ast.Match, case: ast.match_case) -> str | None:
        """The guard of a case whose pattern is certain to fit, as it is written; None where the pattern is asked."""
        fits = test_of(s.subject, ast.match_case(case.pattern, None, case.body))
        known = self._known(fits) if fits is not None else None
        return self._test(case.guard) if known and case.guard is not None else None

    def _said_of(self, case: ast.match_case, pad: str) -> list[str]:
        line = case.pattern.lineno
        return [f"{pad}{text}" for text in (*self._above_line(line), *self._beside(line))]

    def _ladder(self, s: ast.If, depth: int) -> list[str]:
        arms, rest = self._arms(s)
        tests = [fold(arm.test, self.answer) for arm, _ in arms]
        left: list[Left] = settled(tests) if self.settle else list(enumerate(tests))
        if self._would_lose_words(arms, rest, left):
            left = list(enumerate(tests))
        lines: list[str] = []
        for number, test in left:
            lines += self._arm(*arms[number], test, depth, "elif" if lines else "if", test is not tests[number])
        if left[-1][1] is None:
            return lines
        if all(leaves(arms[number][0].body) for number, _ in left):
            return [*lines, *self.lines(rest, depth)]
        otherwise = self.lines(rest, depth + 1)
        return [*lines, f"{self.unit * depth}else:", *otherwise] if otherwise else lines

    def _would_lose_words(self, arms: list[Arm], rest: list[ast.stmt], left: Sequence[Left]) -> bool:
        """Whether a comment stands in what is never reached."""
        kept = {number for number, _ in left}
        gone = [arm for number, arm in enumerate(arms) if number not in kept]
        spans = [(arm.lineno, _end(arm.body[-1])) for arm, _ in gone]
        if left[-1][1] is None and rest:
            spans.append((_end(arms[-1][0].body[-1]) + 1, _end(rest[-1])))
        spoken = any(above for _, above in gone)
        return spoken or any("#" in self.sheet.line(n) for first, last in spans for n in range(first, last + 1))

    def _arm(
        self, arm: ast.If, above: list[str], test: ast.expr | None, depth: int, word: str, shortened: bool
    ) -> list[str]:
        pad = self.unit * depth
        beside = self._beside(arm.lineno)
        told = f"  {beside[0]}" if beside else ""
        asked = spelled(self.sheet, test) if shortened and test is not None else self._test(arm.test)
        head = f"{pad}else:{told}" if test is None else f"{pad}{word} {asked}:{told}"
        body = self.lines(arm.body, depth + 1) or [f"{pad}{self.unit}pass"]
        return [*(f"{pad}{text}" for text in above), head, *body]

    def _arms(self, s: ast.If) -> tuple[list[Arm], list[ast.stmt]]:
        """The arms whose tests are not known, with the comments above them, and what is done otherwise."""
        arms: list[Arm] = [(s, [])]
        rest = s.orelse
        while len(rest) == 1 and isinstance(rest[0], ast.If):
            arm = rest[0]
            known = self._known(arm.test)
            if known is None:
                arms.append((arm, self._comments_above(arm)))
            rest = arm.body if known else arm.orelse
            if known:
                break
        return arms, rest

    def _compound(self, s: ast.stmt, depth: int) -> list[str]:
        pad = self.unit * depth
        lines = self._header(s, depth)
        if isinstance(s, ast.Match):
            for case in s.cases:
                lines += [f"{pad}{self.unit}{text}" for text in self._above_line(case.pattern.lineno)]
                lines += self._raw(case.pattern.lineno, case.body[0].lineno - 1, depth + 1, case.body)
                lines += self.lines(case.body, depth + 2) or [f"{pad}{self.unit * 2}pass"]
            return lines
        lines += self.lines(s.body, depth + 1) or [f"{pad}{self.unit}pass"]  # type: ignore[attr-defined]
        for handler in getattr(s, "handlers", []):
            lines += self._raw(handler.lineno, handler.body[0].lineno - 1, depth, handler.body)
            lines += self.lines(handler.body, depth + 1) or [f"{pad}{self.unit}pass"]
        for word, part in (("else", getattr(s, "orelse", [])), ("finally", getattr(s, "finalbody", []))):
            told = self.lines(part, depth + 1)
            if told or (word == "finally" and part):
                lines += [f"{pad}{word}:", *(told or [f"{pad}{self.unit}pass"])]
        return lines

    def _header(self, s: ast.stmt, depth: int) -> list[str]:
        body = s.cases[0].body if isinstance(s, ast.Match) else s.body  # type: ignore[attr-defined]
        first_inner = s.cases[0].pattern.lineno if isinstance(s, ast.Match) else body[0].lineno
        if isinstance(s, ast.While) and self._asks(s.test):
            return [f"{self.unit * depth}while {self._test(s.test)}:"]
        own = [e for e in ast.iter_child_nodes(s) if isinstance(e, ast.expr | ast.withitem)]
        if any(self._asks(e) for e in own):
            raise Untouchable("the head of a loop or a with asks")
        return self._raw(s.lineno, first_inner - 1, depth, body)

    def _raw(self, first: int, last: int, depth: int, body: list[ast.stmt]) -> list[str]:
        """Lines as they stand, comments above the block's first statement left to it."""
        if last < first:
            raise Untouchable("a block stands on the line of its head")
        while last > first and self.sheet.line(last).strip().startswith("#"):
            last -= 1
        indent = self.sheet.indent(first)
        return [f"{self.unit * depth}{self._line(n).removeprefix(indent)}" for n in range(first, last + 1)]

    def _simple(self, s: ast.stmt, depth: int) -> list[str]:
        first = first_line(s)
        last = s.end_lineno or s.lineno
        if self._asks(s):
            made = FoldValues(self.answer).visit(copied(s))
            beside = self._beside(last)
            told = f"  {beside[0]}" if beside else ""
            return [
                f"{self.unit * depth}{line}"
                for line in (_quoted(ast.unparse(made), self.sheet.code(s)) + told).splitlines()
            ]
        indent = self.sheet.indent(first)
        if len(indent.encode()) != (s.col_offset if first == s.lineno else len(indent.encode())):
            beside = self._beside(last)
            told = f"  {beside[0]}" if beside else ""
            return [f"{self.unit * depth}{self.sheet.code(s)}{told}"]
        pad = self.unit * depth
        inside = self.sheet.lines_inside_texts(first, last)
        return [
            f"{RAW}{self._line(n)}" if n in inside else f"{pad}{self._line(n).removeprefix(indent)}"
            for n in range(first, last + 1)
        ]

    def _line(self, number: int) -> str:
        return self.sheet.line(number).rstrip("\r\n")

    # --- tests -------------------------------------------------------------------------------------

    def _asks(self, node: ast.AST) -> bool:
        return any(isinstance(n, ast.expr) and self.answer(n) is not None for n in walk(node))

    def _test(self, test: ast.expr) -> str:
        if self._asks(test):
            return spelled(self.sheet, fold(test, self.answer))
        code = self.sheet.code(self.sheet.in_parentheses(test))
        several = len(code.splitlines()) > 1
        return code if "#" in code else one_line(self.sheet.code(test) if several else code)

    # --- comments ----------------------------------------------------------------------------------

    def _comments_above(self, s: ast.stmt) -> list[str]:
        first = first_line(s)
        if s.lineno == first and len(self.sheet.indent(first).encode()) != s.col_offset:
            return []  # it stands behind something else on its line, which has said it
        return self._above_line(first)

    def _above_line(self, first: int) -> list[str]:
        found: list[str] = []
        indent = self.sheet.indent(first)
        while first > 1 and self._is_comment(first - 1) and self.sheet.indent(first - 1) == indent:
            first -= 1
            found.insert(0, self.sheet.line(first).strip())
        return found

    def _comments_below(self, body: list[ast.stmt]) -> list[str]:
        """Comments at the end of a block, as deep as its statements; an `elif` is no block of its own."""
        if self.sheet.line(body[0].lineno).lstrip().startswith("elif"):
            return []
        indent = self.sheet.indent(first_line(body[0]))
        ends = body[-1].end_lineno or body[-1].lineno
        found = [n for n in self.sheet.comments_below(ends, indent) if self.sheet.indent(n) == indent]
        return [self.sheet.line(n).strip() for n in found]

    def _is_set_off(self, s: ast.stmt) -> bool:
        """Whether a blank line stands above a statement, and above what is said of it."""
        first = first_line(s)
        while first > 1 and self._is_comment(first - 1):
            first -= 1
        return first > 1 and not self.sheet.line(first - 1).strip()

    def _is_comment(self, number: int) -> bool:
        return self.sheet.line(number).strip().startswith("#")

    def _beside(self, line: int) -> list[str]:
        own = self.sheet.line(line).strip()
        here = [t.string for t in self.sheet.tokens if t.start[0] == line and t.string.startswith("#")]
        return [text for text in here if text != own]


def _quoted(made: str, was: str) -> str:
    """`ast.unparse` writes single quotes; double ones where the code had those."""
    return made.replace("'", '"') if '"' in was and "'" not in was else made


def _end(s: ast.stmt) -> int:
    return s.end_lineno or s.lineno
