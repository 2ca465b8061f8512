"""What goes through a LibCST tree and changes it on its way; loaded with LibCST, by what writes."""

from collections.abc import Callable

import libcst as cst


class Spelled(cst.CSTTransformer):
    """Every block with the indent that it has, said."""

    def __init__(self, indent: str) -> None:
        super().__init__()
        self.indent = indent

    def leave_IndentedBlock(
        self, original_node: cst.IndentedBlock, updated_node: cst.IndentedBlock
    ) -> cst.IndentedBlock:
        return updated_node.with_changes(indent=self.indent) if updated_node.indent is None else updated_node


class Bare(cst.CSTTransformer):
    """`flag == True` as `flag`, `flag == False` as `not flag`."""

    def __init__(self, flag: str) -> None:
        super().__init__()
        self._flag = flag

    def leave_Comparison(self, original_node: cst.Comparison, updated_node: cst.Comparison) -> cst.BaseExpression:
        match updated_node:
            case cst.Comparison(
                left=cst.Name(value=name) as left,
                comparisons=[cst.ComparisonTarget(operator=op, comparator=cst.Name(value="True" | "False" as word))],
            ) if name == self._flag:
                is_same = isinstance(op, cst.Equal | cst.Is)
                plain = left.with_changes(lpar=updated_node.lpar, rpar=updated_node.rpar)
                return plain if is_same == (word == "True") else cst.UnaryOperation(cst.Not(), plain)
        return updated_node


class Respelled(cst.CSTTransformer):
    """Each `and` and `or` of one expression as `told` spells it, where that has another way of saying it."""

    def __init__(self, told: Callable[[cst.BooleanOperation], str | None]) -> None:
        super().__init__()
        self._told = told
        self.done = False

    def visit_IndentedBlock(self, node: cst.IndentedBlock) -> bool:
        return False

    def visit_BooleanOperation(self, node: cst.BooleanOperation) -> bool:
        return False

    def leave_BooleanOperation(
        self, original_node: cst.BooleanOperation, updated_node: cst.BooleanOperation
    ) -> cst.BaseExpression:
        told = self._told(original_node)
        if told is None:
            parts = (self._operand(part) for part in (original_node.left, original_node.right))
            return original_node.with_changes(**dict(zip(("left", "right"), parts, strict=True)))
        self.done = True
        return cst.parse_expression(told).with_changes(lpar=original_node.lpar, rpar=original_node.rpar)

    def leave_UnaryOperation(
        self, original_node: cst.UnaryOperation, updated_node: cst.UnaryOperation
    ) -> cst.BaseExpression:
        """`not (x == a or x == b)` is `x not in (a, b)`; what is one test now needs no brackets behind a `not`."""
        made = updated_node.expression
        if made is original_node.expression or isinstance(made, cst.BooleanOperation):
            return updated_node
        match made:
            case cst.Comparison(comparisons=[cst.ComparisonTarget(operator=cst.In() | cst.NotIn()) as asked]):
                other = cst.NotIn() if isinstance(asked.operator, cst.In) else cst.In()
                asked = asked.with_changes(operator=other)
                return made.with_changes(comparisons=[asked], lpar=original_node.lpar, rpar=original_node.rpar)
        return updated_node.with_changes(operator=cst.Not(), expression=made.with_changes(lpar=(), rpar=()))

    def _operand(self, node: cst.BaseExpression) -> cst.BaseExpression:
        """One side of an `and` or `or` that stays: what it holds, without brackets that are needed no more."""
        made = node.visit(self)
        assert isinstance(made, cst.BaseExpression)
        bare = made is not node and not isinstance(made, cst.BooleanOperation)
        return made.with_changes(lpar=(), rpar=()) if bare and made.lpar else made
