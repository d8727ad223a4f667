"""`zubrel report`: one page that needs nothing else, with every text of the world escaped."""

import re
import shutil
import subprocess
import unittest
from html.parser import HTMLParser

from tests.program import DEMO, PATIENCE, ProgramTest
from tests.test_check_command import TOSS

NASTY = """\
zubrel: 1
title: <script>alert("title")</script>
start: {at: quay}
items: {key: {name: "<img src=x onerror=alert(1)> & key"}}
areas:
  quay: {name: "<b>Quay", says: "</script><script>alert(2)</script>", finds: [key], ways: [pier]}
  pier: {deeds: {toss: {name: "\\"><i>Throw", takes: key, says: "<u>gone"}}}
endings: {top: {name: "<h1>Top", when: at pier and key}}
accept: [{finding: wasted_use, of: toss, because: "<marquee>"}]
"""


class Page(HTMLParser):
    """What a page is made of: tags, ids, links inside it, links out of it, visible text."""

    def __init__(self, text):
        super().__init__()
        self.tags, self.ids, self.inside, self.outside, self.words = [], [], [], [], []
        self.feed(text)

    def handle_starttag(self, tag, attrs):
        self.tags.append(tag)
        for name, value in attrs:
            if name == "id":
                self.ids.append(value)
            elif name in ("href", "src"):
                (self.inside if value.startswith("#") else self.outside).append(value)

    def handle_data(self, data):
        self.words.append(data)


class Report(ProgramTest):
    def page(self, world, code=0):
        self.write("world.yaml", world)
        self.zubrel("report", "world.yaml", "-o", "page.html", code=code)
        return (self.folder / "page.html").read_text(encoding="utf-8")

    def test_links_resolve_ids_are_single_and_nothing_comes_from_elsewhere(self):
        page = Page(self.page((DEMO / "starter.yaml").read_text(encoding="utf-8")))
        self.assertEqual(page.outside, [])
        self.assertEqual(len(page.ids), len(set(page.ids)))
        self.assertLessEqual({link[1:] for link in page.inside}, set(page.ids))
        self.assertGreater(len(page.inside), 20)

    def test_findings_walks_and_numbers_are_there(self):
        text = " ".join(Page(self.page(TOSS)).words)
        for words in (
            "softlocks",
            "12 situations",
            "Throw the key into the sea",
            "How to see it",
            "was possible only once",
            "In every win",
            "SHA-256",
        ):
            self.assertIn(words, text)

    def test_a_world_cannot_put_markup_into_the_page(self):
        text = self.page(NASTY)
        page = Page(text)
        self.assertEqual(page.tags.count("script"), 1)
        for tag in ("img", "b", "u", "marquee"):
            self.assertNotIn(tag, page.tags)
        self.assertEqual(page.tags.count("h1"), 1)
        self.assertIn("<img src=x onerror=alert(1)> & key", " ".join(page.words))
        self.assertNotIn("onerror", "".join(re.findall(r"<[^>]*>", text)))

    def test_without_a_file_and_with_limits(self):
        self.write("world.yaml", TOSS)
        self.assertIn("-o FILE.html", self.zubrel("report", "world.yaml", code=2).stderr)
        done = self.zubrel("report", "world.yaml", "-o", "p.html", "--max-situations", "3", code=3)
        self.assertEqual(done.stdout, "")
        self.assertIn("incomplete", (self.folder / "p.html").read_text(encoding="utf-8"))

    def test_changes_that_mend_stand_with_their_findings_when_they_are_asked_for(self):
        self.write("w.yaml", TOSS)
        self.zubrel("report", "w.yaml", "-o", "p.html", code=0)
        words = "proved to mend it"
        self.assertNotIn(words, (self.folder / "p.html").read_text(encoding="utf-8"))
        self.zubrel("report", "w.yaml", "-o", "p.html", "--mends", code=0)
        text = " ".join(Page((self.folder / "p.html").read_text(encoding="utf-8")).words)
        self.assertIn(words, text)
        self.assertIn("+      toss: {name: Throw the key into the sea, needs: key}", text)

    @unittest.skipUnless(shutil.which("chromium"), "needs headless Chromium")
    def test_the_filter_works_in_a_browser(self):
        probe = """<script>
const search = document.querySelector("#filter input[type=search]");
search.value = "toss"; search.dispatchEvent(new Event("input", {bubbles: true}));
const word = document.querySelector("[role=status]").textContent;
document.querySelector("#filter input[value=error]").click();
document.title = word + "|" + document.querySelector("[role=status]").textContent;
</script></body>"""
        world = TOSS.replace("items: {key: Brass key}", "items: {key: Brass key, shell: Shell}")
        title, said = self.in_a_browser(world.replace("finds: [key]", "finds: [key, shell]"), probe)
        self.assertEqual(title, "2 shown|1 shown")
        self.assertNotIn("CONSOLE", said)

    @unittest.skipUnless(shutil.which("chromium"), "needs headless Chromium")
    def test_a_walk_is_stepped_through_on_the_map_in_a_browser(self):
        probe = """<script>
const finding = document.getElementById("finding-softlock-toss"), seen = [];
finding.querySelector("button.step").click();
const see = () => seen.push(document.getElementById("at").textContent + ": " +
  document.querySelector("#told .what").textContent + ": " +
  document.querySelectorAll(".steps .here").length +
  document.querySelector(".steps").classList.contains("matters"));
see();
const key = name => document.getElementById("stepper").dispatchEvent(
  new KeyboardEvent("keydown", {key: name, bubbles: true}));
key("ArrowRight"); see(); key("End"); see(); key("ArrowLeft"); see();
document.querySelector("[data-do=matters]").click(); see();
document.querySelector("[data-do=close]").click();
document.title = seen.join("|") + "|" + document.getElementById("stepper").open;
</script></body>"""
        title, said = self.in_a_browser(TOSS, probe)
        star = "  ★ the reason speaks of this move: 1true"
        last = f"move 3 of 3: Pier: Throw the key into the sea{star}"
        self.assertEqual(
            title.split("|"),
            [
                "move 0 of 3: The start: 1false",
                f"move 1 of 3: Quay: Take Brass key{star}",
                last,
                "move 2 of 3: Quay: Go to Pier: 1false",
                last,
                "false",
            ],
        )
        self.assertNotIn("CONSOLE", said)

    def in_a_browser(self, world, probe):
        """The title that a script at the end of the page gives it, and what the browser says."""
        text = self.page(world)
        (self.folder / "page.html").write_text(text.replace("</body>", probe), encoding="utf-8")
        done = subprocess.run(
            [
                "chromium",
                "--headless",
                "--no-sandbox",
                "--disable-gpu",
                "--enable-logging=stderr",
                f"--user-data-dir={self.folder / 'browser'}",
                "--dump-dom",
                (self.folder / "page.html").as_uri(),
            ],
            capture_output=True,
            text=True,
            timeout=PATIENCE,
        )
        (title,) = re.findall(r"<title>(.*?)</title>", done.stdout)
        return title, done.stderr


if __name__ == "__main__":
    unittest.main()
