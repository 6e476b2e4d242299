"""What is counted and noted of every request, for those who watch the server. No figure and no line
names a person, a plate or a job: an address is told by its route."""

import structlog
from prometheus_client import CollectorRegistry, Counter, Histogram
from starlette.types import Scope

SLOW_S = 1.0
STEPS = (0.005, 0.01, 0.025, 0.05, 0.1, 0.25, 0.5, 1.0, 2.5, 5.0, 10.0)
log = structlog.get_logger()


def route_of(scope: Scope) -> str:
    """A request's route, such as ``/jobs/{number}/work``; what has none is told as such."""
    if scope["path"].startswith("/static/"):
        return "/static"
    route = scope.get("route")
    return str(getattr(route, "path", "(none)"))


class Watch:
    """Counts of one process.

    Parameters
    ----------
    registry : where the figures are kept
    """

    def __init__(self, registry: CollectorRegistry) -> None:
        self.registry = registry
        labels = ("method", "route", "status")
        self.requests = Histogram(
            "galene_request_seconds",
            "Time of a request, from its arrival to the last byte handed over",
            labels,
            registry=registry,
            buckets=STEPS,
        )
        self.entries = Counter(
            "galene_entries",
            "Entries of cards by what became of them",
            ("outcome",),
            registry=registry,
        )
        self.failed = Counter(
            "galene_sign_in_failed", "Tries to sign in that failed", registry=registry
        )

    def request(self, scope: Scope, status: int, seconds: float) -> None:
        """Note a request that is answered."""
        route = route_of(scope)
        self.requests.labels(scope["method"], route, str(status)).observe(seconds)
        if status >= 500 or (seconds > SLOW_S and "event" not in route):
            log.warning(
                "request",
                method=scope["method"],
                route=route,
                status=status,
                ms=round(seconds * 1000),
            )
