"""Runs the tests, all of them or those that are named, and says in one line how it went."""

import sys
import unittest

names = sys.argv[1:]
loader = unittest.defaultTestLoader
suite = loader.loadTestsFromNames(names) if names else loader.discover("tests", top_level_dir=".")
result = unittest.TextTestRunner(verbosity=1).run(suite)
failed = len(result.failures) + len(result.errors) + len(result.unexpectedSuccesses)
print(f"{result.testsRun - failed - len(result.skipped)} passed, {failed} failed, "
      f"{len(result.skipped)} skipped")  # fmt: skip
sys.exit(failed > 0 or result.testsRun == 0)
