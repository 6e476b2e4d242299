"""How every kind of part is treated: the procedures that ship, by kind of component or shared
way."""

from galene.core.planning.procedure import PartProcedure
from galene.knowledge.documents import by_kind
from galene.knowledge.procedures.common import completed

PROCEDURES: dict[str, PartProcedure] = {
    name: completed(p) for name, p in by_kind(PartProcedure, "procedure").items()
}
