"""Walks over expressions: all nodes in order, and replacing some of them."""

from collections.abc import Callable, Iterable

from even_palette.core.graph.nodes import Node, make


def replaced(roots: Iterable[Node], op: str, by: Callable[[Node], Node]) -> list[Node]:
    """The expressions with every node of an operation replaced."""
    roots = list(roots)
    made: dict[int, Node] = {}
    for node in in_order(roots):
        args = tuple(made[id(arg)] for arg in node.args)
        rebuilt = node if args == node.args else make(node.op, node.type, args, node.payload)
        made[id(node)] = by(rebuilt) if node.op == op else rebuilt
    return [made[id(root)] for root in roots]


def in_order(outputs: Iterable[Node]) -> list[Node]:
    """All nodes below the outputs, each once, arguments before their users."""
    done: dict[int, Node] = {}
    for output in outputs:
        stack = [(output, False)]
        while stack:
            node, expanded = stack.pop()
            if id(node) in done:
                continue
            if expanded:
                done[id(node)] = node
            else:
                stack.append((node, True))
                stack.extend((arg, False) for arg in reversed(node.args))
    return list(done.values())
