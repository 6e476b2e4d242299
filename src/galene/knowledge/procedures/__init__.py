"""How every kind of part is treated: the procedures that ship, by kind of component or shared
way."""

from galene.core.planning.procedure import PartProcedure
from galene.knowledge.procedures.common import SHARED, completed
from galene.knowledge.procedures.intake import INTAKE
from galene.knowledge.procedures.recirculation import RECIRCULATION
from galene.knowledge.procedures.sensors import SENSORS
from galene.knowledge.procedures.upkeep import UPKEEP

PROCEDURES: dict[str, PartProcedure] = {
    p.component: completed(p) for p in (*INTAKE, *SENSORS, *RECIRCULATION, *UPKEEP, *SHARED)
}
