"""An actuator on its way: lag, play, stops."""

from galene.simulation.condition import Actuator
from galene.simulation.engine import STEP_S


class Mover:
    """One actuator; `position` in percent of its travel."""

    def __init__(self, state: Actuator) -> None:
        self.state = state
        self.position = state.least
        self.command = 0.0

    def move(self, command: float) -> float:
        """Move toward `command` (percent) for one step; the position.

        An actuator with play follows only when the command has left the play behind (backlash).
        """
        state = self.state
        self.command = command
        if state.dead:
            return self.position
        goal = command * state.travel
        if state.hysteresis:
            play = state.hysteresis / 2
            goal = min(max(self.position, goal - play), goal + play)
        goal = min(state.most, max(state.least, goal))
        self.position += (goal - self.position) * STEP_S / (STEP_S + state.lag_s)
        return self.position
