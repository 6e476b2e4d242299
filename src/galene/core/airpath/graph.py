"""Directed graphs of parts: who follows whom, circles, the longest way."""

from collections.abc import Iterable, Mapping
from graphlib import CycleError, TopologicalSorter

Graph = Mapping[str, tuple[str, ...]]
"""Node to the nodes that follow it; every node is a key, in the order in which it was met."""


def graph_of(edges: Iterable[tuple[str, str]], nodes: Iterable[str] = ()) -> Graph:
    """The graph of edges, and of nodes that may stand alone.

    Examples
    --------
    >>> graph_of([("a", "b"), ("a", "c"), ("a", "b")])
    {'a': ('b', 'c'), 'b': (), 'c': ()}
    """
    found: dict[str, dict[str, None]] = {n: {} for n in nodes}
    for source, target in edges:
        found.setdefault(source, {})[target] = None
        found.setdefault(target, {})
    return {node: tuple(after) for node, after in found.items()}


def reversed_of(graph: Graph) -> Graph:
    """The same graph with every edge turned round."""
    return graph_of(((b, a) for a, after in graph.items() for b in after), graph)


def both_ways(graph: Graph) -> Graph:
    """The graph with every edge in both directions."""
    edges = [(a, b) for a, after in graph.items() for b in after]
    return graph_of([*edges, *((b, a) for a, b in edges)], graph)


def reached(graph: Graph, start: str) -> frozenset[str]:
    """Nodes that can be reached from one, without itself where no circle leads back."""
    found: set[str] = set()
    left = list(graph[start])
    while left:
        node = left.pop()
        if node not in found:
            found.add(node)
            left += graph[node]
    return frozenset(found)


def circle(graph: Graph) -> tuple[str, ...]:
    """The nodes of a circle in the order of its edges, beginning with the one that was met first;
    empty where there is none."""
    try:
        TopologicalSorter(reversed_of(graph)).prepare()
    except CycleError as fault:
        nodes: list[str] = fault.args[1][:-1]
        first = nodes.index(next(n for n in graph if n in nodes))
        return (*nodes[first:], *nodes[:first])
    return ()


def longest_way(graph: Graph) -> tuple[str, ...]:
    """The longest way through a graph without circles; of equal ones that which was met first."""
    before = reversed_of(graph)
    best: dict[str, tuple[int, str]] = {}
    for node in _in_order(graph, before):
        ways = [(best[b][0] + 1, b) for b in before[node]]
        best[node] = max(ways, key=lambda way: way[0], default=(0, node))
    if not best:
        return ()
    node = max(best, key=lambda n: best[n][0])
    way = [node]
    while best[node][1] != node:
        node = best[node][1]
        way.append(node)
    return tuple(reversed(way))


def _in_order(graph: Graph, before: Graph) -> list[str]:
    """Every node behind those before it, in generations, each in the order of meeting."""
    left = {node: len(before[node]) for node in graph}
    now = [node for node, count in left.items() if not count]
    order: list[str] = []
    while now:
        order += now
        after: list[str] = []
        for node in now:
            for follower in graph[node]:
                left[follower] -= 1
                if not left[follower]:
                    after.append(follower)
        now = after
    return order
