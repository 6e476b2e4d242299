"""What the tests of each folder cost, in processor seconds, held against `budget.toml`.

Counted is what this process used and everything that it started: the database, browsers, servers.
Seconds are those of a machine on which `_known_work` takes `KNOWN_S`. It is looked at all through
the run, since two that share a core slow each other: a slow or a busy machine changes nothing but
the time that it takes.
"""

import os
import time
import tomllib
from collections import Counter
from collections.abc import Iterator
from pathlib import Path

import pytest

BUDGET = Path(__file__).with_name("budget.toml")
OVER = 1.5
"""How many times its budget a folder may take before the run fails."""
KNOWN_S = 0.1
LOOK_AGAIN_S = 10.0
"""Seconds after which the machine's pace is measured anew."""
TICK_S = 1 / os.sysconf("SC_CLK_TCK")
COST = pytest.StashKey["Cost"]()


def _known_work() -> float:
    """Processor seconds of a piece of work that is always the same."""
    began = time.process_time()
    found: dict[int, float] = {}
    for i in range(400_000):
        found[i % 1000] = found.get(i % 1000, 0.0) * 0.5 + i
    return time.process_time() - began


def _used_by(pid: int) -> float:
    """Processor seconds of a process, of what it has waited for, and of all that it has started
    and that still runs."""
    try:
        fields = Path(f"/proc/{pid}/stat").read_text().rpartition(")")[2].split()
        tasks = list(Path(f"/proc/{pid}/task").iterdir())
    except OSError:
        return 0.0
    used = sum(map(int, fields[11:15])) * TICK_S
    for task in tasks:
        try:
            children = (task / "children").read_text().split()
        except OSError:
            continue
        used += sum(_used_by(int(child)) for child in children)
    return used


class Cost:
    """Processor seconds by folder, of one worker.

    The seconds of a process that ends are its parent's from then on; of one whose parent ended
    first some are lost, so what is counted never falls.
    """

    def __init__(self) -> None:
        self.seconds: Counter[str] = Counter()
        self._before = self._looked_at = 0.0
        self._pace = 1.0
        self._look()

    def charge(self, folder: str) -> None:
        """What was used since the last time is this folder's."""
        now = _used_by(os.getpid())
        self.seconds[folder] += max(0.0, now - self._before) * self._pace
        self._before = now
        if time.monotonic() - self._looked_at > LOOK_AGAIN_S:
            self._look()

    def _look(self) -> None:
        """Measure the pace of this machine; what that takes is nobody's."""
        self._pace = KNOWN_S / _known_work()
        self._looked_at = time.monotonic()
        self._before = _used_by(os.getpid())


def folder_of(item: pytest.Item) -> str:
    """The folder of a test as the budget names it: the one below `tests`, `doctest` for a text in
    the program, `tests` for what lies there itself."""
    parts = item.path.parts
    if "tests" not in parts:
        return "doctest"
    below = parts[parts.index("tests") + 1 : -1]
    return below[0] if below else "tests"


def pytest_addoption(parser: pytest.Parser) -> None:
    """`--budget`: tell what each folder took, and fail where it is too much."""
    parser.addoption("--budget", action="store_true", help="hold the run against tests/budget.toml")


def pytest_configure(config: pytest.Config) -> None:
    """Begin to count; whoever started the run also tells and judges."""
    config.stash[COST] = Cost()
    if config.getoption("budget") and not hasattr(config, "workerinput"):
        config.pluginmanager.register(Account(config))


@pytest.hookimpl(wrapper=True)
def pytest_runtest_protocol(item: pytest.Item) -> Iterator[None]:
    """Charge a test's folder with what it took, its fixtures with it. The first one takes over what
    the gathering of tests cost."""
    cost = item.config.stash[COST]
    if not cost.seconds:
        cost.charge("(gathering)")
    answer = yield
    cost.charge(folder_of(item))
    return answer


def pytest_sessionfinish(session: pytest.Session) -> None:
    """A worker tells what it counted."""
    told = getattr(session.config, "workeroutput", None)
    if told is not None:
        told["cost"] = dict(session.config.stash[COST].seconds)


class Account:
    """The controller's sum over all workers, told at the end."""

    def __init__(self, config: pytest.Config) -> None:
        self.config = config
        self.total: Counter[str] = Counter()

    def pytest_testnodedown(self, node: object) -> None:
        """Take what a worker counted."""
        self.total.update(getattr(node, "workeroutput", {}).get("cost", {}))

    @pytest.hookimpl(trylast=True)
    def pytest_sessionfinish(self, session: pytest.Session) -> None:
        """Fail a run that is well but took too much."""
        if not self.total:
            self.total.update(self.config.stash[COST].seconds)
        if self.over() and session.exitstatus == pytest.ExitCode.OK:
            session.exitstatus = pytest.ExitCode.TESTS_FAILED

    def over(self) -> list[str]:
        """Folders that took too much, and those that nobody gave a budget."""
        budget = tomllib.loads(BUDGET.read_text())["seconds"]
        return [
            folder
            for folder, used in sorted(self.total.items())
            if not folder.startswith("(") and used > OVER * budget.get(folder, 0.0)
        ]

    def pytest_terminal_summary(self, terminalreporter: pytest.TerminalReporter) -> None:
        """The table."""
        write = terminalreporter.write_line
        budget = tomllib.loads(BUDGET.read_text())["seconds"]
        whole, allowed = sum(self.total.values()), sum(budget.values())
        write(f"Processor seconds by folder ({whole:.0f} of {allowed:.0f} budgeted):")
        for folder, used in self.total.most_common():
            own = budget.get(folder)
            write(f"  {folder:<12} {used:7.1f}" + (f"  of {own:6.0f}" if own else ""))
        for folder in self.over():
            write(
                f"{folder} took more than {OVER} times its budget in {BUDGET.name}: make it"
                " quicker, or raise the budget by a decision in docs/decisions."
            )
