"""The search behind the placement order: a path through all parts of least cost that keeps what
must come before what.

Iterated local search, compiled: runs of parts are moved or turned round, of one to three parts or
whole runs of one value or one orientation; then the path is cut and crossed over, and searched
again. The chance in it is a fixed sequence, so the same board gives the same order. Costs may
differ by direction. Place 0 is where the hand starts.
"""

import numpy as np
from numba import njit

_EPS = 1e-7


@njit(cache=True)
def _copy(to, path):
    """One path over another; slices assigned to slices compile for seconds."""
    for k in range(len(path)):
        to[k] = path[k]


@njit(cache=True)
def _path_cost(path, cost):
    total = 0.0
    for k in range(1, len(path)):
        total += cost[path[k - 1], path[k]]
    return total


@njit(cache=True)
def _keeps(path, first, second, place):
    """True when every `first` comes before its `second`."""
    for k in range(len(path)):
        place[path[k]] = k
    for k in range(len(first)):  # noqa: SIM110
        if place[first[k]] > place[second[k]]:
            return False
    return True


@njit(cache=True)
def _sums(path, cost, forth, back):
    """Cost of the path up to each place, and of walking it backwards."""
    forth[0] = 0.0
    back[0] = 0.0
    for k in range(1, len(path)):
        forth[k] = forth[k - 1] + cost[path[k - 1], path[k]]
        back[k] = back[k - 1] + cost[path[k], path[k - 1]]


@njit(cache=True)
def _moved(path, i, j, k, turned, out):
    """The path with its stretch i..j put behind place k (k outside i-1..j), turned round if asked."""
    n = len(path)
    at = 0
    for t in range(n):
        if i <= t <= j:
            continue
        out[at] = path[t]
        at += 1
        if t == k:
            for s in range(i, j + 1):
                out[at] = path[j - (s - i)] if turned else path[s]
                at += 1


@njit(cache=True)
def _wake(path, i, active):
    """Look again at the places round a joint of the path."""
    for k in range(max(i - 1, 0), min(i + 2, len(path))):
        active[path[k]] = True


@njit(cache=True)
def _search(path, cost, groups, first, second, place, trial, forth, back, active):
    """Improve a path until no move helps; `groups` (levels x places) names the runs that may move
    whole.

    Only places awake in `active` are tried as ends of a stretch, and fall asleep when nothing helps
    them.
    """
    n = len(path)
    last = n - 1
    better = True
    _sums(path, cost, forth, back)
    while better:
        better = False
        for i in range(1, n):
            here = path[i]
            if not active[here]:
                continue
            helped = False
            # turn a stretch round that begins or ends here
            for other in range(1, n):
                if other == i:
                    continue
                a, b = (i, other) if i < other else (other, i)
                inner = back[b] - back[a] - (forth[b] - forth[a])
                change = cost[path[a - 1], path[b]] - cost[path[a - 1], path[a]] + inner
                if b < last:
                    change += cost[path[a], path[b + 1]] - cost[path[b], path[b + 1]]
                if change < -_EPS:
                    for t in range(n):
                        trial[t] = path[b - (t - a)] if a <= t <= b else path[t]
                    if _keeps(trial, first, second, place):
                        _copy(path, trial)
                        _sums(path, cost, forth, back)
                        _wake(path, a, active)
                        _wake(path, b, active)
                        helped = True
                        break
            if helped:
                better = True
                continue
            # move a stretch that begins here elsewhere
            for kind in range(3 + groups.shape[0]):
                j = i + kind
                if kind >= 3:
                    level = kind - 3
                    if i > 1 and groups[level, path[i - 1]] == groups[level, path[i]]:
                        continue
                    j = i
                    while j < last and groups[level, path[j + 1]] == groups[level, path[i]]:
                        j += 1
                    if j < i + 3:
                        continue
                if j > last:
                    continue
                out = cost[path[i - 1], path[i]]
                if j < last:
                    out += cost[path[j], path[j + 1]] - cost[path[i - 1], path[j + 1]]
                inner = back[j] - back[i] - (forth[j] - forth[i])
                for k in range(n):
                    if i - 1 <= k <= j:
                        continue
                    after = path[k + 1] if k < last else -1
                    gone = cost[path[k], after] if after >= 0 else 0.0
                    for turned in range(2):
                        head, tail = (path[j], path[i]) if turned else (path[i], path[j])
                        into = (
                            cost[path[k], head] + (cost[tail, after] if after >= 0 else 0.0) - gone
                        )
                        if into - out + (inner if turned else 0.0) < -_EPS:
                            _moved(path, i, j, k, turned == 1, trial)
                            if _keeps(trial, first, second, place):
                                for end in (i - 1, j, k, k + 1):
                                    _wake(path, min(end, last), active)
                                _copy(path, trial)
                                _sums(path, cost, forth, back)
                                _wake(path, place[head], active)
                                _wake(path, place[tail], active)
                                helped = True
                                break
                    if helped:
                        break
                if helped:
                    break
            if helped:
                better = True
            else:
                active[here] = False


@njit(cache=True)
def _greedy(cost, first, second):
    """The cheapest next part each time, of those whose forerunners are done."""
    n = cost.shape[0]
    waits = np.zeros(n, np.int64)
    for k in range(len(second)):
        waits[second[k]] += 1
    done = np.zeros(n, np.bool_)
    path = np.zeros(n, np.int64)
    done[0] = True
    for at in range(1, n):
        best = -1
        for one in range(1, n):
            if (
                not done[one]
                and waits[one] == 0
                and (best < 0 or cost[path[at - 1], one] < cost[path[at - 1], best])
            ):
                best = one
        path[at] = best
        done[best] = True
        for k in range(len(first)):
            if first[k] == best:
                waits[second[k]] -= 1
    return path


@njit(cache=True)
def best_path(cost, groups, first, second, start, rounds, seed):
    """A path over all places from 0, of low cost.

    `cost` (n x n), `groups` (levels x n), `first[k]` before `second[k]` (without cycles).

    `start`: an earlier path to go on from, or an empty array. Returns the path; the same arguments
    give the same path.
    """
    n = cost.shape[0]
    path = start.copy() if len(start) == n else _greedy(cost, first, second)
    place = np.zeros(n, np.int64)
    trial = np.zeros(n, np.int64)
    forth = np.zeros(n)
    back = np.zeros(n)
    if n < 3:
        return path
    active = np.ones(n, np.bool_)
    _search(path, cost, groups, first, second, place, trial, forth, back, active)
    best = path.copy()
    lowest = _path_cost(best, cost)
    state = np.uint64(seed)
    for _ in range(rounds):
        cuts = np.zeros(3, np.int64)
        for c in range(3):
            state = state * np.uint64(6364136223846793005) + np.uint64(1442695040888963407)
            cuts[c] = 1 + np.int64((state >> np.uint64(33)) % np.uint64(n))
        a, c = min(cuts[0], cuts[1], cuts[2]), max(cuts[0], cuts[1], cuts[2])
        b = cuts[0] + cuts[1] + cuts[2] - a - c
        if n > 60:  # on long paths cross over nearby stretches only
            b = min(a + 1 + (b - a) % 30, n)
            c = min(b + 1 + (c - b) % 30, n)
        if a == b or b == c:
            continue
        _copy(path, best)
        for k in range(a, c):
            path[k] = best[b + k - a] if k < a + c - b else best[k - (c - b)]
        if not _keeps(path, first, second, place):
            continue
        active[:] = False
        for cut in (a, a + c - b, c):
            _wake(path, min(cut, n - 1), active)
        _search(path, cost, groups, first, second, place, trial, forth, back, active)
        now = _path_cost(path, cost)
        if now < lowest - _EPS:
            lowest = now
            _copy(best, path)
    return best
