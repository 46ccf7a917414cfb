"""How deep the moves of a programme are.

As deep as each other but for a few, or each as deep as somebody happened to draw it.
"""

from dataclasses import replace

import numpy as np

from ...units import Floats
from .moves import DEPTH, Move, with_column
from .search import Search

_DEPTHS_DB = np.arange(2.0, 27.01, 0.25)
_ALIKE_DB = 0.26
_OWN_SHARE = 0.1
"""Of the moves of a programme with one depth, as many have another one."""
_SPREAD_DB = 2.5
"""How far depths lie from their middle where each is its own; practice."""
_FEWEST = 3
_FINER, _LEAST_DB = np.arange(-12, 13) / 12, 0.05


def settle_depths(search: Search) -> None:
    """Put each move in the middle of where its depth may lie, where moves have no depth in common.

    The others' middle is kept in mind.
    """
    own = [(k, m) for k, m in enumerate(search.moves) if m is not None]
    depths_db = [*(m.depth_db for _, m in own), *search.elsewhere.values["depth_db"]]
    if not own or len(depths_db) < _FEWEST:
        return
    middle = float(np.median(depths_db))
    usual = -0.5 * ((_DEPTHS_DB - middle) / _SPREAD_DB) ** 2
    log_ratio = [_log_likelihood_ratios(search, m, _DEPTHS_DB) for _, m in own]
    if sum(_apart_nats(t, usual, search.shared.depth_db) for t in log_ratio) <= 0:
        return
    for (k, move), likelihoods in zip(own, log_ratio, strict=True):
        rough, spread = _middle(_DEPTHS_DB, likelihoods + usual)
        near = rough + _FINER * max(3 * spread, _LEAST_DB)
        depth, _ = _middle(near, _log_likelihood_ratios(search, move, near) - 0.5 * ((near - middle) / _SPREAD_DB) ** 2)
        search.put(k, move, replace(move, depth_db=depth))


def _log_likelihood_ratios(search: Search, move: Move, depths_db: Floats) -> Floats:
    return search.curve.likelihood_gains([move], with_column(move.parameters, DEPTH, depths_db))


def _apart_nats(log_ratio: Floats, usual: Floats, shared_db: float) -> float:
    """By how many nats a move speaks for depths that are each their own, against one that all but a few have."""
    likely, weights = np.exp(log_ratio - log_ratio.max()), np.exp(usual)
    own = float(likely @ weights / weights.sum())
    alike = float(likely[np.abs(_DEPTHS_DB - np.clip(shared_db, _DEPTHS_DB[1], _DEPTHS_DB[-2])) <= _ALIKE_DB].mean())
    return float(np.log(own) - np.log((1 - _OWN_SHARE) * alike + _OWN_SHARE * own))


def _middle(depths_db: Floats, logs: Floats) -> tuple[float, float]:
    """The depth with as much on either side, and how far it may lie from there."""
    shares = np.exp(logs - np.max(logs))
    shares /= shares.sum()
    middle = float(np.interp(0.5, np.cumsum(shares) - shares / 2, depths_db))
    return middle, float(np.sqrt(shares @ (depths_db - middle) ** 2))
