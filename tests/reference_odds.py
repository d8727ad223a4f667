"""Odds read literally from `docs/odds.md`: dense equations over the situations of a reference."""

from __future__ import annotations

import numpy as np


class ReferenceOdds:
    """The plays of one kind of player in an explored reference.

    `choose(situation, moves)` gives the chance of each move, by its rule, in a situation.
    """

    def __init__(self, reference, choose):
        self.reference = reference
        self.situations = list(reference.order)
        self.number = {s: n for n, s in enumerate(self.situations)}
        self.edges = []
        by_situation = {}
        for a, rule, number, b in reference.edges:
            moves = by_situation.setdefault(a, {})
            odds = dict(rule["outcomes"])[number].get("odds", 1)
            moves.setdefault(rule["id"], []).append((b, odds, rule))
        for a, moves in by_situation.items():
            chances = choose(a, moves)
            for rule_id, outcomes in moves.items():
                total = sum(odds for _, odds, _ in outcomes)
                for b, odds, _ in outcomes:
                    self.edges.append((a, rule_id, b, chances[rule_id] * odds / total))
        self.size = len(self.situations)
        self.matrix = np.zeros((self.size, self.size))
        for a, _, b, chance in self.edges:
            self.matrix[self.number[a], self.number[b]] += chance
        starts = reference.starts()
        self.first = np.zeros(self.size)
        for start in starts:
            self.first[self.number[start]] += 1 / len(starts)
        moving = {a for a, _, _, chance in self.edges if chance > 0}
        before = {}
        for a, _, b, chance in self.edges:
            if chance > 0:
                before.setdefault(b, set()).add(a)
        idle = set(self.situations) - moving
        self.forever = set(self.situations) - reference.closure(idle, before)
        self.stuck = idle - reference.ended

    def truths(self, some):
        return np.array([s in some for s in self.situations])

    def share_and_moves(self, there, barred=frozenset()):
        """The share of plays that come to some of `there`, and their moves on average up to then.

        Plays that come to some of `barred` before do not count.
        """
        inside = self.truths(there)
        passing = (
            ~inside
            & ~self.truths(barred)
            & ~self.truths(self.forever)
            & self.truths({a for a, *_ in self.edges})
        )
        left = np.eye(passing.sum()) - self.matrix[np.ix_(passing, passing)]
        into = self.matrix[np.ix_(passing, inside)].sum(axis=1)
        chance = np.zeros(self.size)
        chance[inside] = 1
        chance[passing] = np.linalg.solve(left, into)
        moves = np.zeros(self.size)
        moves[passing] = np.linalg.solve(left, chance[passing])
        share = float(self.first @ chance)
        return share, float(self.first @ moves) / share if share else None

    def quartiles(self, there, most=5000):
        """After how many moves a quarter, a half and three quarters of those plays are there."""
        inside = self.truths(there)
        share, _ = self.share_and_moves(there)
        kept = self.matrix.copy()
        kept[inside] = 0
        kept[inside, inside] = 1
        at, here = [], self.first
        for moves in range(most):
            while len(at) < 3 and here[inside].sum() >= (0.25, 0.5, 0.75)[len(at)] * share - 1e-12:
                at.append(moves)
            if len(at) == 3:
                return tuple(at)
            here = here @ kept
        return None

    def along(self, counts):
        """The mean number of moves of a play for which `counts(a, rule, b)` holds; no such move is
        made where plays go on for ever."""
        passing = ~self.truths(self.forever) & self.truths({a for a, *_ in self.edges})
        left = np.eye(passing.sum()) - self.matrix[np.ix_(passing, passing)]
        visits = np.zeros(self.size)
        visits[passing] = np.linalg.solve(left.T, self.first[passing])
        return sum(
            chance * visits[self.number[a]] for a, r, b, chance in self.edges if counts(a, r, b)
        )

    def blamed(self):
        """{rule: share of plays that it takes the last win from}."""
        live, doomed = self.reference.live, self.reference.doomed
        culprits = {r for a, r, b, _ in self.edges if a in live and b in doomed}
        return {
            rule: self.along(lambda a, r, b, rule=rule: r == rule and a in live and b in doomed)
            for rule in culprits
        }

    def missed(self):
        """{subject: share of plays that cannot have it any more, while a win is left}."""
        reference = self.reference
        for subject, has in reference.subjects().items():
            having = {s for s in reference.situations if has(dict(s))}
            lost = reference.live - reference.closure(having, reference.before)
            if having and lost:
                yield subject, self.share_and_moves(lost, having)[0]

    def lost_in(self):
        """{area: share of plays that lose the last win there}."""
        live, doomed = self.reference.live, self.reference.doomed
        dooming = [a for a, _, b, _ in self.edges if a in live and b in doomed]
        return {
            area: self.along(
                lambda a, r, b, area=area: a in live and b in doomed and dict(a)["place"] == area
            )
            for area in {dict(a)["place"] for a in dooming}
        }


def any_move(_, moves):
    """Every move that is possible is alike likely."""
    return dict.fromkeys(moves, 1 / len(moves))


def homing_player(reference, rank, chance):
    """With some chance the next move of a shortest win: of several the first by `rank`."""
    distance, edge = dict.fromkeys(reference.won, 0), list(reference.won)
    while edge:
        later = []
        for s in edge:
            for a in reference.before.get(s, ()):
                if a not in distance:
                    distance[a] = distance[s] + 1
                    later.append(a)
        edge = later

    def choose(a, moves):
        chances = any_move(a, moves)
        nearer = [
            rule
            for rule, outcomes in moves.items()
            if a in distance and any(distance.get(b) == distance[a] - 1 for b, _, _ in outcomes)
        ]
        if nearer:
            best = min(nearer, key=rank)
            chances = {r: (1 - chance) * c for r, c in chances.items()}
            chances[best] += chance
        return chances

    return choose


def best_chance(odds, rounds=3000):
    """The highest chance of a win that a choice of moves gives, from below."""
    values = odds.truths(odds.reference.won).astype(float)
    choices = {}
    for a, rule, b, chance in odds.edges:
        choices.setdefault(odds.number[a], {}).setdefault(rule, []).append((b, chance))
    for _ in range(rounds):
        last = values.copy()
        for a, moves in choices.items():
            values[a] = max(
                sum(c * values[odds.number[b]] for b, c in outcomes) / sum(c for _, c in outcomes)
                for outcomes in moves.values()
            )
        if abs(values - last).max() < 1e-14:
            break
    return float(odds.first @ values)
