"""A long trace for the eye: fewer points, with every peak kept."""

from collections.abc import Sequence

import numpy as np

from galene.core.logs.series import LONGEST_GAP_S, Values, on_grid


def thinned(
    time_s: Values, values: Sequence[Values], start_s: float, *, end_s: float, most: int
) -> list[tuple[float, ...]]:
    """Rows of a stretch for a worksheet: each the mean of its slice of time, at most `most`; rows
    with a gap are left out.

    Parameters
    ----------
    time_s : seconds, rising, shape (n,)
    values : channels over them, each of shape (n,)
    start_s, end_s : what is kept of them, s
    most : samples that may stay
    """
    a, b = np.searchsorted(time_s, [start_s, np.nextafter(end_s, np.inf)])
    times = time_s[a:b]
    if len(times) == 0:
        return []
    complete = [on_grid(time_s, v, times) for v in values]
    if len(times) > most:
        edges = np.unique(
            np.searchsorted(times, np.linspace(times[0], times[-1], most, endpoint=False))
        )
        counts = np.diff(np.append(edges, len(times)))
        times, complete = (
            np.add.reduceat(times, edges) / counts,
            [np.add.reduceat(c, edges) / counts for c in complete],
        )
    rows = np.column_stack([times, *complete])
    return [tuple(float(x) for x in row) for row in rows[np.isfinite(rows).all(axis=1)]]


def downsample_minmax(
    time_s: Values, values: Values, start_s: float, *, end_s: float, points: int
) -> tuple[list[float], list[float | None]]:
    """A channel for a plot of `points` columns: the least and the largest of each slice of time, so
    that no spike is lost.

    Parameters
    ----------
    time_s, values : seconds, rising, and a channel over them, shape (n,)
    start_s, end_s : what is drawn of them, s
    points : samples that a drawing can show

    Returns
    -------
    times, values : lists; None marks a hole of more than three seconds and of ten usual steps
    """
    known = np.flatnonzero(np.isfinite(values))
    times, shown = time_s[known], values[known]
    # One sample beyond each end, so that the line runs to the edge of the window.
    a, b = (
        max(0, int(np.searchsorted(times, start_s)) - 1),
        int(np.searchsorted(times, end_s, "right")) + 1,
    )
    times, shown = times[a:b], shown[a:b]
    if len(times) == 0:
        return [], []
    usual = float(np.median(np.diff(times))) if len(times) > 2 else LONGEST_GAP_S
    hole = max(LONGEST_GAP_S, 10 * usual)
    if len(times) > 2 * points:
        edges = np.unique(
            np.searchsorted(times, np.linspace(times[0], times[-1], points, endpoint=False))
        )
        ends = np.append(edges[1:], len(times))
        picks = np.unique(
            np.concatenate(
                [
                    [a + int(shown[a:b].argmin()), a + int(shown[a:b].argmax())]
                    for a, b in zip(edges, ends, strict=True)
                ]
            )
        )
        times, shown = times[picks], shown[picks]
        hole = max(hole, 2.5 * float(np.median(np.diff(times))))
    at: list[float] = []
    out: list[float | None] = []
    last = times[0]
    for t, v in zip(times.tolist(), shown.tolist(), strict=True):
        if t - last > hole:
            at.append((t + last) / 2)
            out.append(None)
        at.append(t)
        out.append(v)
        last = t
    return at, out
