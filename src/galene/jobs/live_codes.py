"""Codes read from the car itself: into the intake, after the road, and cleared by the same gate as
by hand."""

from galene.core.diagnosis.freeze_frame import FreezeFrame
from galene.exchange.live import Answer, CodesRead
from galene.jobs import intake, prove
from galene.jobs.act import Act
from galene.jobs.errors import Refused
from galene.store.models import Job, LiveCommand

FRAME = {
    "coolant_c": "coolant_c",
    "rpm": "rpm",
    "load_percent": "load_pct",
    "speed_km_h": "speed_kmh",
}
"""The figures of a frame that are kept, and the bridge's column of each."""


def answer_of(command: LiveCommand) -> Answer:
    """What came of a command.

    Raises
    ------
    Refused
        Nothing came, or the control unit said no; the words say which.
    """
    if command.answered_at is None or command.answer is None:
        raise Refused("No answer", ["the car did not answer in time: look at the line, ask again"])
    answer = Answer.model_validate(command.answer)
    if not answer.done:
        raise Refused("The car did not do it", [answer.words])
    return answer


def _codes_in(command: LiveCommand) -> CodesRead:
    codes = answer_of(command).codes
    if codes is None:
        raise Refused("No answer", ["the car told no codes"])
    return codes


def as_text(codes: CodesRead) -> str:
    """Codes with their states, as they would be typed: stored stands over pending, and permanent is
    told of what is neither."""
    told = dict.fromkeys(codes.permanent, "permanent")
    told |= dict.fromkeys(codes.pending, "pending")
    told |= dict.fromkeys(codes.stored, "stored")
    return "\n".join(f"{code} {state}" for code, state in told.items())


def take_codes(act: Act, number: str, command: LiveCommand) -> int:
    """Put the codes that the car told into the intake, with the frame; how many there were.

    Raises
    ------
    Refused
        As `answer_of`.
    """
    job, codes = act.job(number), _codes_in(command)
    text = as_text(codes)
    if text:
        intake.add_codes(act, number, text)
    else:
        act.trace(job, "codes_read_none")
    frame = codes.frame
    if frame is not None and any(c.code == frame.code and c.phase == "before" for c in job.codes):
        figures = {
            name: round(frame.figures[column], 1)
            for name, column in FRAME.items()
            if column in frame.figures
        }
        intake.save_frame(act, number, frame.code, FreezeFrame(**figures))
    return len(text.splitlines())


def take_pending(
    act: Act, number: str, command: LiveCommand, *, ready: dict[str, bool] | None, seen: int
) -> Job:
    """Keep the codes that the car tells after the road, and whether its monitors have run.

    Raises
    ------
    Refused
        As `answer_of`, or no road test yet.
    """
    text = as_text(_codes_in(command))
    monitors = all(ready.values()) if ready else None
    return prove.read_pending(act, number, text, seen=seen, monitors_ready=monitors)


def cleared(act: Act, number: str, command: LiveCommand) -> Job:
    """The car says that its codes are cleared, and told right after what it still holds.

    Raises
    ------
    Refused
        As `answer_of` and `prove.clear_codes`.
    """
    left = as_text(_codes_in(command)).splitlines()
    job = prove.clear_codes(act, number)
    act.trace(job, "codes_read_after_clearing", left=left)
    return job
