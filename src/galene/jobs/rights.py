"""The role matrix: which role may do what. Held here alone; `docs/security.md` shows it, and every
route names the right that it asks for (`galene.web.rights`)."""

from enum import StrEnum

TECHNICIAN, FOREMAN = "technician", "foreman"
ROLES = (TECHNICIAN, FOREMAN)


class Right(StrEnum):
    """Something that a person may or may not do."""

    OPEN = "open without signing in"
    ACCOUNT = "the own account: password, PIN, second factor, sessions"
    READ = "read jobs, vehicles, shelf and reference"
    WORK = "enter into jobs, the shelf's counts, fuel and vehicles' records"
    DRAFT = "draft engine families"
    EXPORT = "take the workshop's data out as a whole"
    PUBLISH = "put an engine family into force, or take one in"
    TEMPLATES = "change the workshop's procedures"
    PRODUCTS = "put products and parts on the shelf, change and retire them, and their prices"
    RULES = "speak a verdict against the rules of chemistry"
    BANDS = "set samples of a known-good band aside"
    SIGN = "sign a job"
    REOPEN = "open a signed job again"
    OVERRIDE = "open a gate or lift a stop against the rules"
    SETTINGS = "change the workshop's settings"
    BUNDLES_IN = "take jobs of another workshop in"
    LEARNING = "read how often rankings were right"
    PEOPLE = "add people, change and close their accounts, share tablets"
    KEEPERS = "merge and retire vehicles, give out and erase an owner's data"
    RUNNING = "see how the server is running, and its backups"


HELD: dict[str, frozenset[Right]] = {
    TECHNICIAN: frozenset({Right.OPEN, Right.ACCOUNT, Right.READ, Right.WORK, Right.DRAFT}),
    FOREMAN: frozenset(Right),
}


def holds(role: str, right: Right, *, by_pin: bool = False) -> bool:
    """Whether a role has a right. Who came by PIN has a technician's: a PIN is soon read over a
    shoulder.

    Parameters
    ----------
    role : technician or foreman; any other holds nothing but what is open
    """
    held = HELD.get(TECHNICIAN if by_pin and role in HELD else role, frozenset({Right.OPEN}))
    return right in held
