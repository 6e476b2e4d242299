"""All statements are in the store; what is put on a job's lists is kept with it."""

import ast
from collections.abc import Iterator
from pathlib import Path

from sqlalchemy.orm import Session

from galene.jobs import intake, jobcard
from galene.jobs.act import Act, find_job
from tests.conftest import demo_jobs

SOURCE = Path(__file__).parents[2] / "src/galene"
ALLOWED = {"Session", "object_session", "Engine"}
"""Names that a use case or a route may know of the database's library, besides its faults."""
OUTSIDE = [
    path
    for folder in ("core", "knowledge", "exchange", "jobs", "web", "demo")
    for path in sorted((SOURCE / folder).rglob("*.py"))
]


def test_no_statement_is_written_outside_the_store() -> None:
    assert len(OUTSIDE) > 300
    faults = [f"{path.relative_to(SOURCE)}: {name}" for path in OUTSIDE for name in known_by(path)]
    assert not faults


def known_by(path: Path) -> Iterator[str]:
    """What a module takes of the database's library that it has no need to know."""
    text = path.read_text()
    for node in ast.walk(ast.parse(text)) if "sqlalchemy" in text else ():
        if isinstance(node, ast.ImportFrom) and (node.module or "").startswith("sqlalchemy"):
            if node.module != "sqlalchemy.exc":
                yield from {alias.name for alias in node.names} - ALLOWED
        elif isinstance(node, ast.Import):
            yield from (a.name for a in node.names if a.name.startswith("sqlalchemy"))


def test_what_is_put_on_a_jobs_lists_is_there_for_everybody(db: Session, maren: Act) -> None:
    number = demo_jobs(db)["prove"]
    job = find_job(db, number)
    jobcard.add_item(maren, number, "Lamp on the strut", kind="tool inside", before="handover")
    jobcard.start_wait(maren, number, "Soak", minutes=20, reason="soaks in the cold")
    intake.add_codes(maren, number, "P0171", phase="after")
    shown = (
        [i.what for i in job.items],
        [w.name for w in job.waits],
        [(c.phase, c.code) for c in job.codes],
    )
    db.commit()
    db.expire_all()
    again = find_job(db, number)
    assert shown == (
        [i.what for i in again.items],
        [w.name for w in again.waits],
        [(c.phase, c.code) for c in again.codes],
    )
    assert "Lamp on the strut" in shown[0] and "Soak" in shown[1] and ("after", "P0171") in shown[2]


def test_what_is_taken_off_a_jobs_list_is_gone(db: Session, maren: Act) -> None:
    number = demo_jobs(db)["prove"]
    intake.add_codes(maren, number, "P0171", phase="after")
    db.commit()
    intake.remove_code(maren, number, "P0171", phase="after")
    db.commit()
    db.expire_all()
    assert ("after", "P0171") not in {(c.phase, c.code) for c in find_job(db, number).codes}
