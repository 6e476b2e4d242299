"""The demo's database for what is measured: told anew, or a copy of one that is ready."""

import os
import subprocess
from datetime import UTC, datetime
from pathlib import Path

from sqlalchemy.orm import Session

from galene.demo.world import load
from galene.store.cluster import APPLICATION, Cluster
from galene.store.database import make_engine, migrate

READY = os.environ.get("BENCH_DEMO", "")
"""A stopped cluster that holds the demo; the tests have one."""


def copied(folder: Path) -> bool:
    """Whether a ready cluster was laid into the folder."""
    if READY:
        folder.mkdir(parents=True, exist_ok=True)
        subprocess.run(["cp", "-a", f"{READY}/.", folder], check=True)
    return bool(READY)


def demo_cluster(folder: Path) -> Cluster:
    """A running cluster that holds the demo."""
    ready = copied(folder)
    cluster = Cluster(folder)
    cluster.start()
    if not ready:
        migrate(cluster.url(), APPLICATION)
        engine = make_engine(cluster.url(), 1)
        with Session(engine, expire_on_commit=False) as db:
            load(db, datetime.now(UTC))
            db.commit()
        engine.dispose()
    return cluster
