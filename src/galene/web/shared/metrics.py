"""The figures that a watcher collects, at a port of their own: what the processes counted, and how
the machine stands as it is asked."""

import shutil
from collections.abc import Iterator
from pathlib import Path

import psycopg
from prometheus_client import CollectorRegistry, start_http_server
from prometheus_client.core import GaugeMetricFamily, Metric
from prometheus_client.registry import Collector

LAST_BACKUP = (
    "select extract(epoch from max(ended_at)) from backup_run"
    " where fault = '' and ended_at is not null"
)


class Standing(Collector):
    """Database, disk and backup, looked at when they are asked for.

    Parameters
    ----------
    url : address of the database
    """

    def __init__(self, url: str, home: Path) -> None:
        self.url, self.home = url, home

    def collect(self) -> Iterator[Metric]:
        """The figures of now."""
        up, last = 0.0, None
        try:
            with psycopg.connect(self.url, connect_timeout=2) as connection:
                row = connection.execute(LAST_BACKUP).fetchone()
                up, last = 1.0, row[0] if row else None
        except psycopg.Error:
            pass
        yield GaugeMetricFamily("galene_database_up", "Whether the database answers", value=up)
        free = shutil.disk_usage(self.home).free
        yield GaugeMetricFamily("galene_disk_free_bytes", "Room in the data folder", value=free)
        if last is not None:
            yield GaugeMetricFamily(
                "galene_last_backup_timestamp_seconds",
                "When the last whole backup was done",
                value=float(last),
            )


def serve_metrics(registry: CollectorRegistry, port: int, url: str, *, home: Path) -> None:
    """Serve the figures on loopback."""
    registry.register(Standing(url, home))
    start_http_server(port, addr="127.0.0.1", registry=registry)
