"""The players there are: how a kind of module is shown, what it reports, and when that makes a step done."""

from __future__ import annotations

from stepladder.playing.players.base import GonePlayer, NothingReported, Player, Stage, render_stage

__all__ = ["NothingReported", "Player", "Stage", "add_player", "player_of", "render_stage"]

_players: dict[str, Player] = {}


def add_player(kind: str, player: Player) -> None:
    """Hand in what plays a kind of module (library.kinds)."""
    _players[kind] = player


def player_of(kind: str) -> Player:
    """What plays a kind; where its app is not installed any more, a player that says so."""
    return _players.get(kind) or GonePlayer()
