"""What must be said before any ranking: a state of the car that hurts somebody or ends the engine
if work goes on.

Sources: physics (liquid does not compress; an unthrottled engine runs on whatever it is fed) and
workshop practice; the probabilities from which a cause counts as likely are this project's
defaults.
"""

from galene.core.diagnosis.records import DangerRule
from galene.knowledge.documents import read

DANGERS: tuple[DangerRule, ...] = read("dangers.toml", tuple[DangerRule, ...], "dangers")
