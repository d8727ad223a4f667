"""System -> what is certain soon: a win, that there is none, moves that take every win away."""
