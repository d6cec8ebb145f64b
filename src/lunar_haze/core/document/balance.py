"""A change of balance on a look: dimmers, mutes and exposure, and nothing that would cost a ray."""

from collections.abc import Iterable

import attrs

from lunar_haze.core.colour.krystek1985 import warmed
from lunar_haze.core.document.model import Look
from lunar_haze.core.finish.values import White

#: Dimmers go so far [stops].
LOWEST, HIGHEST = -40.0, 20.0


@attrs.frozen
class BalanceChange:
    """Dimmers to be moved [stops] by source id, sources to be muted, exposure to be moved [stops], and why; ``mireds``
    make lamps warmer by so much, cooler below 0; ``white`` is another white balance, None for the present one.
    """

    label: str
    dimmers: tuple[tuple[str, float], ...] = ()
    mute: tuple[str, ...] = ()
    exposure: float = 0.0
    mireds: tuple[tuple[str, float], ...] = ()
    white: White | None = None

    def on(self, look: Look) -> Look:
        """The look with the change made."""
        moves, warmer = dict(self.dimmers), dict(self.mireds)
        sources = tuple(
            attrs.evolve(
                source,
                dimmer_stops=min(max(round(source.dimmer_stops + moves.get(source.id, 0.0), 4), LOWEST), HIGHEST),
                muted=source.muted or source.id in self.mute,
                # A source's own colours stay as they are.
                kelvin=round(warmed(source.kelvin, warmer[source.id]), 1)
                if source.kelvin is not None and source.id in warmer
                else source.kelvin,
            )
            if source.id in moves or source.id in self.mute or source.id in warmer
            else source
            for source in look.sources
        )
        finish = look.finish if self.white is None else attrs.evolve(look.finish, white=self.white)
        return attrs.evolve(look, sources=sources, stops=round(look.stops + self.exposure, 4), finish=finish)

    @property
    def is_nothing(self) -> bool:
        """Whether it changes nothing."""
        return not (self.dimmers or self.mute or self.exposure or self.mireds or self.white)

    def only(self, source_ids: Iterable[str]) -> "BalanceChange":
        """The change of these sources alone."""
        kept = set(source_ids)
        return attrs.evolve(
            self,
            dimmers=tuple((i, m) for i, m in self.dimmers if i in kept),
            mute=tuple(i for i in self.mute if i in kept),
            mireds=tuple((i, m) for i, m in self.mireds if i in kept),
        )


@attrs.frozen
class LookChange:
    """Another look in place of one, such as a blend of two, and why."""

    label: str
    look: Look

    @property
    def is_nothing(self) -> bool:
        """Never: a look was chosen."""
        return False

    def on(self, look: Look) -> Look:
        """The other look, under the name of the one that it takes the place of."""
        return attrs.evolve(self.look, name=look.name)


Change = BalanceChange | LookChange
