"""World -> walks by hand: play and rehearse, on the same rules as the proof; no interface code."""
