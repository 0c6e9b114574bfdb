"""The outputs under a coat."""

from collections.abc import Callable, Iterator, Mapping

from even_palette.core.graph.nodes import Node
from even_palette.core.material.outputs import OUTPUTS


class Under(Mapping[str, Node]):
    """The outputs that are set so far; what nothing has set yet is what the maps say."""

    def __init__(self, set_so_far: Mapping[str, Node], as_mapped: Callable[[str], Node]) -> None:
        self._set, self._as_mapped = set_so_far, as_mapped

    def __getitem__(self, name: str) -> Node:
        return self._set[name] if name in self._set else self._as_mapped(name)

    def __iter__(self) -> Iterator[str]:
        return iter(OUTPUTS)

    def __len__(self) -> int:
        return len(OUTPUTS)
