"""A change of balance on a look: dimmers, mutes and exposure, and nothing that would cost a ray."""

from collections.abc import Iterable

import attrs

from lunar_haze.core.document.model import Look

#: Dimmers go so far [stops].
LOWEST, HIGHEST = -40.0, 20.0


@attrs.frozen
class BalanceChange:
    """Dimmers to be moved [stops] by source id, sources to be muted, exposure to be moved [stops], and why."""

    label: str
    dimmers: tuple[tuple[str, float], ...] = ()
    mute: tuple[str, ...] = ()
    exposure: float = 0.0

    def on(self, look: Look) -> Look:
        """The look with the change made."""
        moves = dict(self.dimmers)
        sources = tuple(
            attrs.evolve(
                source,
                dimmer_stops=min(max(round(source.dimmer_stops + moves.get(source.id, 0.0), 4), LOWEST), HIGHEST),
                muted=source.muted or source.id in self.mute,
            )
            if source.id in moves or source.id in self.mute
            else source
            for source in look.sources
        )
        return attrs.evolve(look, sources=sources, stops=round(look.stops + self.exposure, 4))

    def only(self, source_ids: Iterable[str]) -> "BalanceChange":
        """The change of these sources alone."""
        kept = set(source_ids)
        return attrs.evolve(
            self,
            dimmers=tuple((i, m) for i, m in self.dimmers if i in kept),
            mute=tuple(i for i in self.mute if i in kept),
        )
