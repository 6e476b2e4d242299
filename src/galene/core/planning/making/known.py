"""What of a case stays the same whatever is done on it: computed once, for all its plannings."""

from collections.abc import Mapping
from dataclasses import dataclass, field

from galene.core.airpath.family import Operation
from galene.core.planning.case import Case, Trade, Treatment
from galene.core.planning.chain import Chain, Link
from galene.core.planning.openings import Lifting, lifting
from galene.core.planning.words import Place


@dataclass(frozen=True, kw_only=True)
class _Made:
    """A treatment where its part lies, and the chain that it has there."""

    treatment: Treatment
    place: Place
    treats: tuple[str, ...]
    links: tuple[Link, ...]


@dataclass(frozen=True, kw_only=True)
class Known:
    """A case and the trade, with what follows of them alone.

    Parameters
    ----------
    by_id, lift : operation to itself and to what it takes off
    made : the chains asked for so far, by owner
    """

    case: Case
    trade: Trade
    by_id: Mapping[str, Operation]
    lift: Mapping[str, Lifting | None]
    made: dict[str, list[_Made]] = field(default_factory=dict)

    def chain(
        self, treatment: Treatment, *, place: Place, treats: tuple[str, ...] = ()
    ) -> list[Link]:
        """All the steps of a treatment where its part lies."""
        mine = self.made.setdefault(treatment.owner, [])
        for one in mine:
            if (one.place, one.treats, one.treatment) == (place, treats, treatment):
                return list(one.links)
        links = Chain(self.case, self.trade, treatment, place=place, treats=treats).links()
        mine.append(_Made(treatment=treatment, place=place, treats=treats, links=tuple(links)))
        return links


def known(case: Case, trade: Trade) -> Known:
    """What a case's plannings share."""
    operations = case.family.operations
    return Known(
        case=case,
        trade=trade,
        by_id={o.id: o for o in operations},
        lift={o.id: lifting(case.family, o) for o in operations},
    )
