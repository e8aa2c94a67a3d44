"""The page of many devices: what its first screen says, how large it is, and how fast it answers in a browser."""

import asyncio
import datetime
import shutil
from pathlib import Path
from typing import Any

import pytest

from overhang.api import LoadedDevice, audit
from overhang.auditing.report import AuditReport
from overhang.language import read_sheet
from overhang.project import Project
from overhang.report.audit_front import rules_that_matter, shares, sites_of, worst_devices
from overhang.report.audit_html import audit_html
from tests.support.browser import Page, browser
from tests.support.fleet import different, shapes

NOW = datetime.datetime(2026, 11, 26, tzinfo=datetime.UTC)
MANY = 5000
needs_chromium = pytest.mark.skipif(shutil.which("chromium") is None, reason="needs Chromium")


@pytest.fixture(scope="module")
def report() -> AuditReport:
    """Thousands of devices of forty structures: the audits of forty, each many times under other names."""
    sheets = [read_sheet(different(shape, number), f"{number}.sheet") for number, shape in enumerate(shapes(40))]
    few = audit([LoadedDevice(sheet, Project()) for sheet in sheets], moment=NOW)
    audits = []
    for number in range(MANY):
        one = few.audits[number % len(few.audits)]
        name = f"{one.name}-{number}"
        found = tuple(
            each._replace(message=each.message.replace("account", f"account of {name}"), fingerprint=f"{number}")
            for each in one.findings
        )
        audits.append(one._replace(name=name, file=f"{name}.sheet", findings=found))
    return few._replace(audits=tuple(sorted(audits, key=lambda each: each.rank)))


def test_the_first_screen_counts_every_device_once(report: AuditReport) -> None:
    assert sum(each.devices for each in shares(report)) == MANY
    places = [place for site in sites_of(report) for several in site.kinds.values() for place in several]
    assert sorted(places) == list(range(MANY))
    worst = worst_devices(report)
    assert worst[0].place == 0
    alike = {tuple(each.rule for each in report.audits[one.place].findings) for one in worst}
    assert len(alike) == len(worst) == 5
    for one in worst:
        rules = [each.rule for each in report.audits[one.place].findings]
        same = [each for each in report.audits if [finding.rule for finding in each.findings] == rules]
        assert one.alike + 1 == len(same)
    for matters in rules_that_matter(report):
        severe = [each for one in report.audits for each in one.findings if each.rule == matters.rule]
        worst = max(each.severity for each in severe)
        sure = any(not each.possible and each.severity == worst for each in severe)
        assert matters.worst == (worst.word if sure else f"possibly {worst.word}")
        fires = sum(any(each.rule == matters.rule for each in one.findings) for one in report.audits)
        assert matters.devices == fires


@needs_chromium
def test_thousands_of_devices_open_and_answer_within_a_second(report: AuditReport, tmp_path: Path) -> None:
    path = tmp_path / "page.html"
    path.write_text(audit_html(report))
    assert path.stat().st_size < 15_000_000
    took, answers = asyncio.run(_asked(path, tmp_path / "profile"))
    assert answers["front"] <= 800, "the first screen and the search fit a window"
    assert answers["height"] < 3 * 800, "everything is folded"
    wanted = [each for each in report.audits if "-4321" in each.name]
    assert answers["shown"].startswith(f"{len(wanted[0].findings)} findings on 1 device")
    assert answers["row"] == wanted[0].name
    assert answers["device"] == [each.rule for each in wanted[0].findings]
    assert answers["rule"].startswith(answers["rule_name"])
    for name, several in took.items():
        assert min(several) < 1.0, (name, several)


async def _asked(path: Path, profile: Path) -> tuple[dict[str, list[float]], dict[str, Any]]:
    took: dict[str, list[float]] = {"open": [], "first search": [], "search": []}
    answers: dict[str, Any] = {}
    async with browser(profile) as page:
        for _ in range(8):  # until it is quick enough once: other tests share the processors
            took["open"].append(await page.open(path))
            answers["front"] = await page.run("document.querySelector('.tools').getBoundingClientRect().bottom")
            answers["height"] = await page.run("document.documentElement.scrollHeight")
            took["first search"].append(await _search(page, "telnet"))
            took["search"].append(await _search(page, "-4321"))
            if all(min(several) < 1.0 for several in took.values()):
                break
        answers["shown"] = await page.run("document.getElementById('shown').textContent")
        answers["row"] = await page.run("document.querySelector('#found a').textContent")
        await page.run("document.querySelector('#found a').click()")
        rules = "[...document.querySelectorAll('.dev[data-filled] h3')].map((each) => each.textContent)"
        for _ in range(100):
            answers["device"] = await page.run(rules)
            if answers["device"]:
                break
            await asyncio.sleep(0.02)
        answers["rule_name"] = await page.run("document.querySelector('.find').textContent")
        await page.run("document.querySelector('.find').click()")
        await asyncio.sleep(0.3)
        answers["rule"] = await page.run("document.querySelector('#found b').textContent.trim()")
    return took, answers


async def _search(page: Page, words: str) -> float:
    """Type words, and wait until what was found is shown; the seconds that it took."""
    script = """(async () => {
      const box = document.getElementById("words"), found = document.getElementById("found"), start = performance.now();
      box.value = %r;
      box.dispatchEvent(new Event("input"));
      while (found.dataset.words !== box.value) await new Promise((each) => setTimeout(each, 1));
      found.offsetHeight;
      return performance.now() - start;
    })()"""
    return float(await page.run(script % words)) / 1000
