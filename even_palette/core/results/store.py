"""What every function of this package is given beside a kit: where results are kept, and who tells what glows."""

from collections.abc import Callable, Hashable, Iterator
from contextlib import contextmanager
from threading import local
from typing import Protocol, TypeVar
from weakref import WeakKeyDictionary

from even_palette.core.arrays import Floats
from even_palette.core.jobs import CancelToken
from even_palette.core.kit.model import Focus
from even_palette.core.kit.sheet import Bake
from even_palette.core.results.cache import Cache, Seen
from even_palette.core.results.made_of import sampled_made_of

T = TypeVar("T")


class Light(Protocol):
    """What texels of a sheet send out as a bake wants it: its name, and the light itself (see `glow`).

    Bakes stand below the materials that glow, so whoever makes a store gives it the one that asks those.
    """

    def key(self, at: Focus, store: "Store", bake: Bake) -> tuple[object, ...]:
        """Names the light by all that it depends on; () where nothing glows."""
        ...

    def made(self, at: Focus, store: "Store", bake: Bake) -> Floats | None:
        """The light, (size, size, 3) float32; None where nothing glows."""
        ...


class Store:
    """Where results are kept, by what they are made of. May be used from any thread."""

    def __init__(self, cache: Cache | None = None, light: Light | None = None) -> None:
        self.cache = cache or Cache()
        self.light = light
        self.seen = Seen()
        self.wishes: dict[Hashable, Callable[[CancelToken], object]] = {}
        self._hurry = local()
        self._names: dict[Callable[..., object], WeakKeyDictionary[Focus, object]] = {}

    @property
    def hurries(self) -> bool:
        """Whether a view waits for what this thread makes: what it needs at once may do, with the rest as a wish."""
        return self.cache.is_looked_at or bool(getattr(self._hurry, "on", False))

    @contextmanager
    def hurrying(self) -> Iterator[None]:
        """A view waits for what this thread makes within."""
        self._hurry.on = True
        try:
            yield
        finally:
            self._hurry.on = False

    def wish(self, name: Hashable, make: Callable[[CancelToken], object]) -> None:
        """Note on the thread that only looks what views would show better than what they have, by its name."""
        if self.cache.is_looked_at:
            self.wishes[name] = make

    def remembered(self, name: Hashable, parts: tuple[object, ...], make: Callable[[], T]) -> T:
        """What is made of these parts: for the thread that only looks, the last one under a name if its parts are the
        same objects; for others it is made anew.
        """
        return self.seen.get(name, parts, make) if self.cache.is_looked_at else make()

    def named(self, at: Focus, make: Callable[[Focus, "Store"], T]) -> T:
        """What this function makes of a kit at a sheet. Views ask for names often, so each is put together once.

        For the thread that only looks that is once for all kits that share what names are made of.
        """
        if self.cache.is_looked_at:
            return self.seen.get((make, at.key), sampled_made_of(at), lambda: make(at, self))
        known = self._names.setdefault(make, WeakKeyDictionary())
        if at not in known:
            known[at] = make(at, self)
        return known[at]  # type: ignore[return-value]
