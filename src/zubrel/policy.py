"""Which engine, and how much work: every number that decides it, with what it was measured by.

Work is in units of `base.budget`, about a microsecond each (docs/performance.md has the figures).
None of these numbers changes what is true, only what is found out in which time.
"""

from __future__ import annotations

from zubrel.base.budget import SECOND

# which engine

SMALL, MIDDLE, MANY = 10_000, 50_000, 2_000_000
"""Situations: plain integers up to the first (NumPy pays 0.4 ms a level, and 0.2 s to be imported),
a look at diagrams after the second, and from the third on nothing is listed."""
NARROW = 500_000
"""Situations up to which plain integers are used where few are found in one area at one distance
(a chain of 500: 3 s instead of 11)."""
LOOK, LONG_LOOK, FAST = 0.8 * SECOND, 2.5 * SECOND, 400_000
"""Work that a look at diagrams may take, and how much where it finds more than so many situations a
second's work: faster than they could be listed (10⁶ situations take 0.9 s)."""
EXACT = 3 * SECOND
"""Work on a search for every situation where classes of them would do as well, and a third of it
where more than `FEW` are known by then, which findings cannot be asked of in time (depths L take 2
to 3; with 6, all of two worlds by hand, which take 4 and 5, took 27 and 38 s and not 15 and 28, and
all of realm M 1 22 s and not 11)."""
ARRAYS = 150 << 20
"""Bytes of address space that NumPy takes to begin with."""
ISLANDS = 300_000
"""Islands that are listed for `rehearse` before sets of situations have to do."""

FORWARD = 4 * SECOND
"""Work on all that is reached of a reduced system, before sets are closed backwards instead (with 3
and with 8, all of bazaar M 4 took 54 and 78 s, realm L 20 s both times)."""

FORWARD_AGAIN = 1 * SECOND
"""The same for each batch of questions, of which more variables are left than of the end (all of a
salt mine 23 s instead of 41, realm L 1 20 instead of 28 and bazaar M 4 27 instead of 58, together
with `AT_ONCE`; depths L 1 100 instead of 89)."""

BACKWARD = 5
"""Times the work on all that is reached, for what is asked backwards in the same turn (bazaar XL 1
to 4: with 2 60 to 75 s, with 3 25 to 37; a station, while it was decided forwards: 30 s with 1.5,
43 with 3; six feathers, whose moves that doom are known after 16 million units: with 3 not in 130
s, with 5 24; bazaar XL 6: with 3 66 million units, with 5 72)."""

FAR = 2
"""Times the work on all that is reached, in later turns, where half of the regions are behind
(bazaar XL 1 takes 25 million units, and gets 4, 32 and 128; with 16 in the second turn it would
wait for up to 96 more backwards)."""

LONGER = 4
"""Times the work on what leads to a win that may go into which moves doom, before all is tried
forwards again with more (a lodge of 80 variables: 1 s and 9 s; bazaar L 4, not answered so, takes
half as long again)."""

# shortest walks by sets

LAYERS, BOTH_ENDS = 1e7, 3e8
"""Nodes of layers times steps: into layers from the start, and beyond these into layers from both
ends, for whoever asks first, the shortest win (realm M 46 moves, 60 areas of exploration 80: exact,
and sooner than by growing sets)."""
NEAR = 4096
"""Situations that are looked at for the next move of a walk that need not be the shortest."""

# findings

OF_FEW, OF_MANY, FEW = 8 * SECOND, 2 * SECOND, 10**10
"""Work on findings with every situation in sets before classes of them have to do: where there are
few situations, and where there are more (quests 8: 4 s; realm M: not in a minute; an islet of 14
areas with a shop, delta S 1, whose findings are not told so: 128 s in all with 25, 92 with 6)."""
BATCH, BATCHES = 40 * SECOND, 300 * SECOND
"""Work on one batch of questions before it is halved, and on all of them; as much for the first
lens (all of realm XL: 124 s)."""
AT_ONCE = 2 * SECOND
"""Work on a batch as a whole, before its questions are asked one by one of sets closed backwards
(all of bazaar M 1, 2 and 4: 21, 36 and 27 s; with 6 24, 41 and 44; half of both makes M 2 23, but
leaves one way to close of each thing that can be missed)."""
QUESTION = 10 * SECOND
"""Work on one question, where sets are closed backwards one by one (all of bazaar M 4: enough)."""
STRATEGY = 10 * SECOND
"""Work on what asks for the best way to play (a station: 0.1; six feathers, where each seed that is
thrown may be the last: a set is closed anew for each, and it is not decided in 100)."""
SCOUTING = 8 * SECOND
"""Work on plays that make as many steps as they can: a play is found sooner than a set is closed
(all that such plays make in bazaar M 1 they make in 0.3, in L 1 in 1.1, in XL 1 in 12 or more)."""
LOSING = 4 * SECOND
"""Work on what a win loses on its way (bazaar L 1: 0.6, for 64 of the 104 things that can be
missed)."""
FIRST_QUESTION = 3 * SECOND
"""Work on one question to a first lens that closes sets backwards, before a lens of its own is made
for it (a lodge of 80 variables: its first lens took 86 s for all questions with 10, 47 with 3)."""
PROJECTING, REFINED = 5 * SECOND, 100
"""Work to refute by few variables that a set is reached, and how often more of them are kept
(bazaar XL 5 backwards alone: with 1, and 40 times, not in 110 s, so in 51; XL 3: 21 and 27 s)."""
AT_FIRST, WANDERING, MOST_WANDERING = 0.3 * SECOND, 4 * SECOND, 30 * SECOND
"""Work on plays at random into sets where moves doom, after the last that was found and beside as
much as until then: at first, and where it was not soon refuted; and at most."""
LIKINGS = (1, 3, 10)
"""Powers of the random numbers by which plays at random like steps: nearly all alike, or a few
above all (of a ridge M, 21 of 22 moves that doom took 4, 4 and 2 s with 3 alone, with 3 and more
for the moves that may doom, and with these)."""
SOON, LATER = 0.5 * SECOND, 2 * SECOND
"""Work to refute such a set by few variables before and after that: what was refuted since tells
more (bazaar XL 5: all three that are left the first time)."""
GROWING = (6 * SECOND, 10 * SECOND)
"""Work on what is left then: on going back from all of them together, each time before more plays
at random into where that has come (a ridge M: one of four sets is come into after the first, by
plays at random alone after 13 s)."""
SOUGHT, SOUGHT_IN_ALL = 6 * SECOND, 24 * SECOND
"""Work on each set that is left after that, and on all of them, before it is named as not decided
(ridges M 1 and 2: none of five is told then with 15 each)."""
WEIGHING, SUMS = 1 * SECOND, 40
"""Work to leave out of a set what sums tell that no play comes to, and sums for that (ridges M: one
to four for all of a set, where it is)."""
SINGLE_STEP = 1 * SECOND
"""Work on the ways into a set by one step, before all that are left are closed together. Chosen: of
the 46 of bazaar XL 4 it was spent on five, before few variables refuted these as well."""
MAPPING = 60 * SECOND
"""Work on what lies behind what in a world of full size (realm L: 33 s)."""
TELLING, EXPLAINING = 80 * SECOND, 30 * SECOND
"""Work on telling of such a world; and on all explanations together, of whatever world."""
ALONE, ALONE_IN_ALL = (1 * SECOND, 4 * SECOND), 15 * SECOND
"""Work on all that comes after the walk of one finding, at first and again, and on all of them: it
is small where much was wasted."""
THERE, FORWARD_THERE = 8 * SECOND, 0.05 * SECOND
"""Work on what reasons ask of all that comes after one situation; at first so much on all that
is reached (five things that can be missed in the lodge, after two situations: 1.4 in all; with 4
on what is reached, which is in vain there, 13.8)."""
ROUTING = 6 * SECOND
"""Work on every situation for one question about a world, before plays and proofs are made for that
alone: what they tell of a way there is that it takes so many moves at most."""
TRIAL, TRIAL_MORE = 20 * SECOND, 4.0
"""Work on a changed world of `mend` before it counts as undecided: so much, or so many times what
the world took as it is (the draft of the demo: 0.3 to 2.5 times)."""
MENDED_AT_ONCE = 5_000
"""Situations up to which `why` tries at once what would mend a finding (a second or two)."""
HINTS, HINTS_WORK = 1_000_000, 15 * SECOND
"""Situations, and work, up to which `play` searches a world without being asked to."""
OF_VALUES = 1 * SECOND
"""Work on which values variables may ever have, beyond which all are taken as possible (realm XL:
0.16; a counter of a million values would take a million rounds)."""
PAIRS, PAIRS_SIZE = 1 * SECOND, 300_000
"""Work on which values may be had together, and up to which size (values times operators) that is
found out at all (a town of 83 variables, 60,000: 0.3 s; realm L, 385,000, would take 0.8 s, more
than all of its proof)."""

# what is certain before a proof ends

FIRST_WIN, MORE_FOR_A_WIN = (1 * SECOND, 0.6 * SECOND), (0.5 * SECOND, 6 * SECOND)
"""Work on a proof before a first win alone is looked for in its midst, and work on that; and the
same once more where none is known by then, nor that there is none (of 31 worlds as people write
them 30 are known to be won, or never to be, after these two; with 4 in the second 27. Before
rooms in which something is new had their turn, 27; of 28 of them 18 with one look after 2.5 million
alone. A proof that would have ended meanwhile waits for it)."""
CERTAIN = (
    (1.5 * SECOND, 1 * SECOND),
    (5 * SECOND, 3.5 * SECOND),
    (20 * SECOND, 8 * SECOND),
    (60 * SECOND, 20 * SECOND),
    (150 * SECOND, 50 * SECOND),
)
"""Work on a proof before something certain is looked for in its midst, and work on that. Little at
first, so that a proof of three seconds is not held up by much (wins of 40 to 160 moves are known
after 0.1 to 0.6 s); more and more where a proof may never end, so that whoever waits for it is told
something, and a proof of a minute or more takes two fifths longer at most."""
ASKED_ABOUT = 2
"""Looks after which a proof ends that was asked about one subject, of which something is certain:
within half a minute, where the whole may never end."""
MANY_RULES, WIN_OF_MANY = 300_000, (2.5 * SECOND, 2.5 * SECOND)
"""Variables times steps from which on a win is looked for before all that, as soon as plain
integers give up, or after so much work, and with how much: nothing is proved soon there, and a unit
of work takes three times as long (of nine deltas of 400 areas, 1.1 million, all are won with 0.2 to
0.4 million units, two bazaars with 0.3 and 1.5; a chain of 300, which plain integers list, takes
5 s and not 7)."""
SAMPLE, SAMPLING, LEAST_SAMPLING = 4_000, 0.7 * SECOND, 0.1 * SECOND
SAMPLING_SHARE = 0.014
"""Situations that are looked at where a proof has not ended, and work to find them, at most and at
least, and of the time that is allowed; as much is for each of five parts of what they show, so that
all of it fits into what is kept for telling (a ship in debt: 1.4 million units, 1.5 s)."""
CERTAIN_LISTED = (20 * SECOND, 1 * SECOND)
"""The same where all situations are listed (the draft of the demo, 250,000 of them, is proved with
8 million units, and took 13.7 s with a look after 2.5 million and 10 without)."""
CERTAIN_JUDGED = (3 * SECOND, 4 * SECOND)
"""The same where sets closed backwards tell what leads to a win, and not yet which moves doom: that
is often told within the first of these (with 1 six feathers were not decided within a minute)."""
CERTAIN_LATE = 0.8 * SECOND
"""Work on that where a limit came first."""
SEED = 1
"""With which a sample of variants is drawn, where nobody names another."""

# odds

BLAMING, SOLVED_EDGES = 3 * SECOND, 1_000_000
FOLLOWING, SOLVING = 30 * SECOND, 60 * SECOND
"""Work on which moves aimless plays lose the last win by, in every `check`, and moves between
situations up to which that is solved there (545,000 of them take a third of a second); and work on
all that becomes of aimless plays, for pictures and for `compare` (the demo takes two seconds); and
work of `odds` on one player, past which plays are simulated instead (of large components that hang
together, such as a market with 280,000 situations, one equation takes nine searches)."""

INVERTED, TOGETHER, EQUATIONS = 32, 2_000, 4_000_000
"""Situations of a component up to which its inverse is made, and up to which it is solved together
with others (the draft of the demo has a thousand of them: 1.3 s instead of 3.1); and of a world up
to which equations are solved at all."""
FILL = 60
"""Entries of a factor for each of the matrix, up to which it is made (a factor of 1,108 takes
minutes where BiCGSTAB takes a third of a second)."""
FOLLOWED, HOPELESS, AT_LEAST = 1_000_000_000, 2, 20_000
"""Links that are followed, move by move, to tell after how many moves a part of the plays is over
(three to five seconds); times so many links, which plays go along on average, from which on few are
followed; and links that take no longer to follow than none."""
BOUND_ROUNDS = 100_000
"""Rounds of iteration after which the two bounds of a perfect player stay apart."""

# an editor

KNOWING = 5 * SECOND
"""Work on what a search tells of single things, moves and conditions (all of the draft: 1.4 million
units)."""
