"""The page of the package: the README, with links that lead to the project from anywhere."""

import re
from pathlib import Path

from setuptools import setup

HOME = "https://zubrel.example.org/"
readme = Path(__file__).with_name("README.md").read_text(encoding="utf-8")
page = re.sub(r"(\]\()(?!https?:|#)([^)]+)", rf"\g<1>{HOME}\g<2>", readme)
setup(long_description=page, long_description_content_type="text/markdown")
