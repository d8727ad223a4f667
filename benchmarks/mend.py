"""How long the draft of the demo takes to be mended, in times of checking it once.

`python -m benchmarks.mend` prints one line for one process and one for two.
"""

from __future__ import annotations

import time
from pathlib import Path

from zubrel.base.budget import Budget, Limits
from zubrel.base.progress import Silence
from zubrel.mended.files import Files
from zubrel.mended.mend import mender_of
from zubrel.mended.trials import Trials
from zubrel.mended.whole import mend_whole
from zubrel.pipeline import load, report

DRAFT = Path(__file__).parent.parent / "src" / "zubrel" / "demo" / "draft.yaml"


def main() -> None:
    began = time.perf_counter()
    report(load(str(DRAFT)))
    once = time.perf_counter() - began
    print(f"checked once: {once:.1f} s")
    for jobs in (1, 2):
        began = time.perf_counter()
        budget = Budget(Limits())
        mender = mender_of(Files.read(str(DRAFT)), budget, Silence())
        with Trials(budget, Silence(), jobs) as trials:
            whole = mend_whole(mender, trials)
        seconds = time.perf_counter() - began
        assert not whole.left, "nothing is left"
        assert whole.smallest, "and nothing is needless"
        assert whole.proposal is not None, "it is mended"
        assert whole.proposal.change.new.verdict == "solvable", "and proved"
        print(
            f"mended with {jobs} process{'es' if jobs > 1 else ''}, {len(whole.changes)} changes: "
            f"{seconds:.0f} s, {seconds / once:.1f} times as long"
        )


if __name__ == "__main__":
    main()
