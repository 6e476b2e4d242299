"""Engine families that ship with the product, and what the words of a family may be."""

from pathlib import Path

from galene.core.airpath.family import EngineFamily
from galene.core.airpath.faults import Vocabulary
from galene.core.calculations.metrics import METRICS
from galene.core.diagnosis.records import EngineOutline
from galene.core.planning.marks import DEEDS
from galene.knowledge.base import outline_of
from galene.knowledge.bus_names import BUS_NAMES
from galene.knowledge.cautions import CAUTIONS
from galene.knowledge.components import COMPONENTS
from galene.knowledge.documents import read, shipped
from galene.knowledge.policy import POLICY_QUESTIONS
from galene.knowledge.relearns import RELEARNS

FAMILIES: dict[str, EngineFamily] = {
    Path(name).stem: read(name, EngineFamily) for name in shipped().names("families")
}
OUTLINES: dict[str, EngineOutline] = {i: outline_of(f) for i, f in FAMILIES.items()}
VOCABULARY = Vocabulary(
    components=frozenset(COMPONENTS),
    once=frozenset(c.id for c in COMPONENTS.values() if c.once),
    sensors=frozenset(c.id for c in COMPONENTS.values() if c.sensor),
    metrics=frozenset(METRICS),
    relearns=frozenset(RELEARNS),
    cautions=frozenset(CAUTIONS),
    deeds=frozenset(DEEDS),
    schools={s.letter: frozenset(c for c, _ in s.choices) for s in POLICY_QUESTIONS},
    bus={kind: frozenset(names) for kind, names in BUS_NAMES.items()},
)
