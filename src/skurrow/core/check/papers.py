"""Checking how papers are set up."""

from __future__ import annotations

from collections.abc import Iterator

from skurrow.core.problems import Problem
from skurrow.core.site.whole import SiteFile


def papers_problems(site: SiteFile) -> Iterator[Problem]:
    """What is wrong with the series of papers: one number must not name two."""
    seen: dict[str, str] = {}
    for name in ("invoices", "receipts", "credit_notes"):
        series = getattr(site.papers, name).replace("{year}", "")
        if series in seen:
            message = f"{name.replace('_', ' ').capitalize()} have the numbers of {seen[series].replace('_', ' ')}"
            yield Problem(("papers", name), message, "Let theirs begin in another way", "taken")
        seen[series] = name
