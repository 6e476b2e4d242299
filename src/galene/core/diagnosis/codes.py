"""Trouble codes in any form that people type or scan tools print."""

import re
from dataclasses import dataclass

CODE = re.compile(r"([PBCU])([0-3O])([0-9A-FO])([0-9A-FO])([0-9A-FO])", re.IGNORECASE)
STATUS_WORDS = {
    "pending": "pending",
    "pd": "pending",
    "confirmed": "stored",
    "stored": "stored",
    "current": "stored",
    "active": "stored",
    "permanent": "permanent",
    "history": "history",
    "past": "history",
    "p": "pending",
    "c": "stored",
    "s": "stored",
    "m": "permanent",
    "h": "history",
}
STATUS = re.compile(
    r"[\s:=(\[/_-]*"
    r"(pending|confirmed|stored|current|active|permanent|history|past|pd|[pcsmh])(?![a-z0-9])",
    re.I,
)
GLUED_STATUS = re.compile(r"([pcsmh])(?=[PBCU][0-3]|\b)", re.I)
FAILURE_TYPE = re.compile(r"-[0-9A-F]{2}(?![0-9A-F])", re.I)


@dataclass(frozen=True)
class ReadCode:
    """A code as read: five characters in capitals, its status word, and the text it was read
    from."""

    code: str
    status: str
    raw: str


@dataclass(frozen=True)
class CodesRead:
    """All codes once each in the order met, and the pieces that look like a code but can not be
    one."""

    codes: tuple[ReadCode, ...]
    not_understood: tuple[str, ...]


def read_codes(text: str) -> CodesRead:
    """Find the trouble codes in any text.

    Parameters
    ----------
    text : str
        Typed by hand or pasted: either case, letter O for zero, spaces within, with or without
        status letters or words and failure-type bytes, separated by anything or by nothing.

    Returns
    -------
    CodesRead
        Later mentions only raise a code's status from pending to stored.

    Examples
    --------
    >>> [(c.code, c.status) for c in read_codes("p0171c;PO300 pending/P0101-1AU0100").codes]
    [('P0171', 'stored'), ('P0300', 'pending'), ('P0101', 'stored'), ('U0100', 'stored')]
    >>> read_codes("P9999").not_understood
    ('P9999',)
    """
    found: dict[str, ReadCode] = {}
    left: list[str] = []
    tidy = re.sub(r"(?i)\b([PBCU])[ .-](?=[0-3O][0-9A-FO]{3}(?![0-9A-Z]))", r"\1", text)
    position = 0
    for match in CODE.finditer(tidy):
        if match.start() < position:
            continue
        before = tidy[match.start() - 1] if match.start() else " "
        if before.isalnum() and match.start() != position:
            continue
        left.append(tidy[position : match.start()])
        end = match.end()
        failure = FAILURE_TYPE.match(tidy, end)
        if failure:
            end = failure.end()
        status = STATUS.match(tidy, end) or GLUED_STATUS.match(tidy, end)
        # "P0171 P0300": the P belongs to the next code, which STATUS and GLUED_STATUS both leave
        # alone.
        word = "stored"
        if status:
            word = STATUS_WORDS[status[1].lower()]
            end = status.end()
        code = match[1].upper() + "".join(match[i].upper().replace("O", "0") for i in range(2, 6))
        old = found.get(code)
        if old is None or old.status == "pending":
            found[code] = ReadCode(
                code,
                word if old is None or word != "pending" else old.status,
                tidy[match.start() : end],
            )
        position = end
    left.append(tidy[position:])
    odd = re.findall(r"\b[PBCU][0-9A-Z]{2,7}\b", " ".join(left), re.I)
    return CodesRead(
        tuple(found.values()), tuple(dict.fromkeys(w for w in odd if re.search(r"\d", w)))
    )
