"""Labels of least cost for nodes of a graph: min-sum belief propagation, then iterated conditional modes."""

from __future__ import annotations

import numpy as np

MOST_MOVES = 120
ROUNDS = 40


def settle(cost: np.ndarray, pair: np.ndarray, table: np.ndarray, group: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
    """Labels (R,) of least cost and how sure they are: min-sum propagation, then moves of regions and of groups."""
    count, options = cost.shape
    if not len(pair):
        return _with_gap(cost, cost.argmin(axis=1))
    i, j = pair.T
    belief = cost.copy()
    to_j, to_i = np.zeros((len(pair), options)), np.zeros((len(pair), options))
    for _ in range(ROUNDS):
        new_j = ((belief[i] - to_i)[:, :, None] + table).min(axis=1)
        new_i = ((belief[j] - to_j)[:, None, :] + table).min(axis=2)
        to_j = 0.5 * to_j + 0.5 * (new_j - new_j.min(axis=1, keepdims=True))
        to_i = 0.5 * to_i + 0.5 * (new_i - new_i.min(axis=1, keepdims=True))
        belief = cost.copy()
        np.add.at(belief, j, to_j)
        np.add.at(belief, i, to_i)
    label = belief.argmin(axis=1)
    each, k = np.arange(count), np.arange(len(pair))
    inside = group[i] == group[j]
    across = np.flatnonzero(~inside)
    for _ in range(MOST_MOVES):
        own = cost.copy()
        np.add.at(own, i, table[k, :, label[j]])
        np.add.at(own, j, table[k, label[i], :])
        better = own.argmin(axis=1)
        gain = own[each, label] - own[each, better]
        # Neighbours must not move at once: only those that gain more than all around them do.
        most = np.zeros(count)
        np.maximum.at(most, i, gain[j])
        np.maximum.at(most, j, gain[i])
        move = (gain > 1e-6) & (gain >= most)
        if move.any():
            label[move] = better[move]
            continue
        # No region gains alone; a whole group of one colour may, taking one label together.
        now = np.bincount(group, cost[each, label])
        np.add.at(now, group[i], table[k, label[i], label[j]])
        np.add.at(now, group[j[across]], table[across, label[i[across]], label[j[across]]])
        together = np.zeros((len(now), options))
        np.add.at(together, group, cost)
        same = np.arange(options)
        np.add.at(together, group[i[inside]], table[inside][:, same, same])
        np.add.at(together, group[i[across]], table[across, :, label[j[across]]])
        np.add.at(together, group[j[across]], table[across, label[i[across]], :])
        gain = now - together.min(axis=1)
        best = int(gain.argmax())
        if gain[best] < 1e-6:
            break
        label[group == best] = together[best].argmin()
    return _with_gap(own, label)


def _with_gap(cost: np.ndarray, label: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
    two = np.sort(cost, axis=1)[:, :2]
    gap = two[:, 1] - two[:, 0]
    return label, np.clip(0.2 + 0.79 * gap / (gap + 25.0), 0.05, 0.99)
