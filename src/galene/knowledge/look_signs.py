"""What a look at a kind of part says as evidence."""

from galene.core.diagnosis.inference import LookSign
from galene.knowledge.documents import read

LOOK_SIGNS: dict[str, LookSign] = read("look_signs.toml", dict[str, LookSign], "signs")
