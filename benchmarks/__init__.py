"""Speed and memory, as ratios against a hand-written script in the same run."""
