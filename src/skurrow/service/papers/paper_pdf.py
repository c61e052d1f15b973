"""A paper drawn as a PDF: one column of quiet type on A4, its lines in a table that goes on over pages.

The same paper gives the same bytes. Letters that the font lacks, as in Japanese names, are set in a font that PDF
readers bring along.
"""

from __future__ import annotations

import io
from decimal import Decimal
from functools import lru_cache
from itertools import groupby
from pathlib import Path
from typing import Any
from xml.sax.saxutils import escape

from babel.dates import format_date
from PIL import Image
from reportlab.lib.colors import HexColor
from reportlab.lib.enums import TA_RIGHT
from reportlab.lib.pagesizes import A4
from reportlab.lib.styles import ParagraphStyle
from reportlab.lib.units import mm
from reportlab.pdfbase import pdfmetrics
from reportlab.pdfbase.cidfonts import UnicodeCIDFont
from reportlab.pdfbase.ttfonts import TTFont
from reportlab.pdfgen.canvas import Canvas
from reportlab.platypus import Flowable, Paragraph, SimpleDocTemplate, Spacer, Table
from reportlab.platypus import Image as Picture

from skurrow.core.papers.paper import Paper, Part, Party, prepaid
from skurrow.service.addresses import lines as address_lines

_FONTS = Path(__file__).parent / "fonts"
_INK, _PENCIL, _RULE, _TEST = (HexColor(one) for one in ("#20242B", "#5C6470", "#BDB6A6", "#A23A2A"))
_TITLES = {"invoice": "Invoice", "receipt": "Receipt", "credit_note": "Credit note"}
_WIDTH = A4[0] - 40 * mm
_LOGO = (55 * mm, 18 * mm)
_FRAME = 6
"""Points that a frame keeps free on each side."""
_WITHOUT = {
    "exempt": "exempt",
    "reverse_charge": "reverse charge",
    "intra_eu": "intra-Community supply",
    "export": "export",
    "outside": "outside the scope",
    "not_registered": "not registered there",
}


@lru_cache(maxsize=1)
def _letters() -> frozenset[int]:
    """The letters that our font has; registers it on the way."""
    plain = TTFont("Paper", _FONTS / "DejaVuSansCondensed.ttf")
    pdfmetrics.registerFont(plain)
    pdfmetrics.registerFont(TTFont("Paper-Bold", _FONTS / "DejaVuSansCondensed-Bold.ttf"))
    pdfmetrics.registerFontFamily("Paper", normal="Paper", bold="Paper-Bold", italic="Paper", boldItalic="Paper-Bold")
    for name in ("HeiseiKakuGo-W5", "STSong-Light", "HYGothic-Medium"):
        pdfmetrics.registerFont(UnicodeCIDFont(name))
    return frozenset(plain.face.charToGlyph)


def draw(paper: Paper, logo: bytes | None = None) -> bytes:
    """The paper as a PDF, the picture of its logo at its head."""
    _letters()
    buffer = io.BytesIO()
    title = f"{_TITLES[paper.kind]} {paper.number}"
    document = SimpleDocTemplate(
        buffer,
        pagesize=A4,
        leftMargin=20 * mm - _FRAME,
        rightMargin=20 * mm - _FRAME,
        topMargin=18 * mm,
        bottomMargin=24 * mm,
        title=title,
        author=paper.seller.name,
        subject=f"Order {paper.order}",
        creator="Skurrow",
        invariant=1,
    )

    def page(canvas: Canvas, at: Any) -> None:
        _around(canvas, paper, title, at.page)

    head = [_logo(logo), Spacer(1, 7 * mm)] if logo else []
    document.build([*head, *_story(paper, title)], onFirstPage=page, onLaterPages=page)
    return buffer.getvalue()


def _story(paper: Paper, title: str) -> list[Any]:
    story: list[Any] = [
        _parties(paper),
        Spacer(1, 9 * mm),
        _words(title, size=19, bold=True, leading=24),
        Spacer(1, 2 * mm),
        _facts(paper),
        Spacer(1, 6 * mm),
        _lines(paper),
        Spacer(1, 5 * mm),
        _sums(paper),
        Spacer(1, 6 * mm),
    ]
    if paper.national is not None:
        told = paper.national
        words = (
            f"Tax in {told.currency}: {told.tax_total} (1 {paper.currency} = {told.rate} {told.currency}, "
            f"{told.source}, {_day(told.on)})."
        )
        story.append(_words(words))
    story += [_words(one) for one in paper.sentences]
    if paper.payment is not None:
        done = "Given back on" if paper.corrects else "Paid on"
        way = f"to the {paper.payment.way}" if paper.corrects else f"by {paper.payment.way}"
        done = f"{prepaid(paper)} {paper.currency} paid on" if paper.still_due else done
        words = f"{done} {_day(paper.payment.on)} {way}. Reference {paper.payment.reference}."
        story.append(_words(words))
    if paper.still_due:
        due = "; ".join(f"{one.amount} on {_day(one.on)}" for one in paper.still_due)
        story.append(_words(f"Still to be paid, {paper.currency}: {due}."))
    for until in sorted({line.refund_until for line in paper.lines if line.refund_until is not None}):
        names = ", ".join(line.name for line in paper.lines if line.refund_until == until)
        story.append(_words(f"Can be given back until {_day(until)}: {names}."))
    return story


def _logo(content: bytes) -> Flowable:
    """A picture (WebP, as it is kept) at most so large, at the left."""
    with Image.open(io.BytesIO(content)) as kept:
        flat = Image.new("RGB", kept.size, "white")
        flat.paste(kept, mask=kept.getchannel("A") if kept.mode == "RGBA" else None)
    scale = min(_LOGO[0] / flat.width, _LOGO[1] / flat.height)
    written = io.BytesIO()
    flat.save(written, "PNG")
    drawn = Picture(written, flat.width * scale, flat.height * scale, hAlign="LEFT")
    return _table([[drawn]], [_WIDTH], [])


def _parties(paper: Paper) -> Table:
    numbers = [f"Tax number {one}" for one in (paper.seller.tax_number, *paper.other_tax_numbers) if one]
    seller = [*_address(paper.seller), *numbers, *([paper.seller.email] if paper.seller.email else [])]
    buyer = _address(paper.buyer)
    if paper.buyer.tax_number:
        buyer.append(f"Tax number {paper.buyer.tax_number}")
    left = [_words("Sold to", colour=_PENCIL), _words(buyer[0], bold=True), *(_words(one) for one in buyer[1:])]
    right = [_words("Sold by", colour=_PENCIL), _words(seller[0], bold=True), *(_words(one) for one in seller[1:])]
    return _table([[left, right]], [_WIDTH * 0.56, _WIDTH * 0.44], [])


def _address(party: Party) -> list[str]:
    given = {name: getattr(party, name) for name in ("street", "postal_code", "city", "region")}
    written = address_lines(party.country, given, "") if any(given.values()) else []
    country = address_lines(party.country, {}, "")
    person = [party.person] if party.person else []
    return [party.name, *person, *(written or country)]


def _facts(paper: Paper) -> Paragraph:
    corrects = f"Corrects {paper.corrects}" if paper.corrects else None
    facts = (_day(paper.issued_on), corrects, f"Order {paper.order}", paper.buyer.email)
    return _words(" · ".join(one for one in facts if one), colour=_PENCIL)


def _lines(paper: Paper) -> Table:
    head = ["What", "Number", "Each", "Off", "Without tax", "Tax", f"{paper.currency} in all"]
    rows: list[list[Any]] = [[_words(head[0], colour=_PENCIL), *(_figure(one, colour=_PENCIL) for one in head[1:])]]
    for line in paper.lines:
        off = line.discount if Decimal(line.discount) else ""
        figures = [str(line.quantity), line.unit, off, line.net, _tax_of(line), line.total]
        rows.append([_words(line.name), *(_figure(one) for one in figures)])
    if paper.delivery is not None:
        parts = paper.delivery.parts
        for n, part in enumerate(parts):
            name = paper.delivery.name if len(parts) == 1 else f"{paper.delivery.name}, {_percent(part.rate)} part"
            each = paper.delivery.amount if n == 0 else ""
            rows.append([_words(name), *(_figure(one) for one in ["", each, "", part.net, _tax_of(part), part.total])])
    shares = [0.33, 0.08, 0.11, 0.10, 0.12, 0.13, 0.13]
    rules = [
        ("LINEBELOW", (0, 0), (-1, 0), 0.7, _INK),
        ("LINEBELOW", (0, 1), (-1, -1), 0.4, _RULE),
        ("TOPPADDING", (0, 0), (-1, -1), 4),
        ("BOTTOMPADDING", (0, 0), (-1, -1), 4),
    ]
    return _table(rows, [_WIDTH * share for share in shares], rules, head=1)


def _sums(paper: Paper) -> Table:
    rows: list[tuple[str, str]] = [("Without tax", paper.net_total)]
    for tax in paper.taxes:
        if tax.name == "No tax":
            rows.append((f"No tax, {_WITHOUT[tax.treatment]}, on {tax.base}", tax.amount))
        else:
            rows.append((f"{tax.name} {tax.place} {_percent(tax.rate)}, on {tax.base}", tax.amount))
    written = [[_words(words), _figure(amount)] for words, amount in rows]
    paid, owed = ("Given back", "Cancelled") if paper.corrects else ("Paid", "To be paid")
    whole = "In all" if paper.still_due else owed if paper.payment is None else paid
    written.append([_words(whole, bold=True, size=11), _figure(f"{paper.currency} {paper.total}", bold=True, size=11)])
    if Decimal(paper.untaxed_total):
        words = "Home tax that the prices include, and that came off"
        written.insert(0, [_words(words, colour=_PENCIL), _figure(paper.untaxed_total, colour=_PENCIL)])
    for discount in paper.discounts:
        words = f"Taken off: {discount.name}, {discount.words}"
        written.insert(0, [_words(words, colour=_PENCIL), _figure(f"-{discount.amount}", colour=_PENCIL)])
    inner = _table(
        written,
        [_WIDTH * 0.36, _WIDTH * 0.20],
        [("LINEABOVE", (0, -1), (-1, -1), 0.7, _INK), ("TOPPADDING", (0, -1), (-1, -1), 5)],
    )
    return _table([["", inner]], [_WIDTH * 0.44, _WIDTH * 0.56], [])


def _around(canvas: Canvas, paper: Paper, title: str, page: int) -> None:
    """The foot of each page and, on those of a test, what it is."""
    canvas.saveState()
    foot = _words(" · ".join(one for one in (paper.text, f"{title}, page {page}") if one), colour=_PENCIL, size=7.5)
    _, height = foot.wrap(_WIDTH, 18 * mm)
    foot.drawOn(canvas, 20 * mm, 20 * mm - height)
    if paper.mode == "test":
        canvas.setFillColor(_TEST, alpha=0.13)
        canvas.setFont("Paper-Bold", 110)
        canvas.translate(A4[0] / 2, A4[1] / 2)
        canvas.rotate(38)
        canvas.drawCentredString(0, -30, "TEST")
        canvas.rotate(-38)
        canvas.translate(-A4[0] / 2, -A4[1] / 2)
        words = _words("A test: nothing was sold, and this is no invoice.", colour=_TEST, bold=True)
        words.wrap(_WIDTH, 10 * mm)
        words.drawOn(canvas, 20 * mm, A4[1] - 14 * mm)
    canvas.restoreState()


# -- type -------------------------------------------------------------------------------------------------


def _table(rows: list[list[Any]], widths: list[float], rules: list[Any], head: int = 0) -> Table:
    plain = [
        ("VALIGN", (0, 0), (-1, -1), "TOP"),
        ("LEFTPADDING", (0, 0), (-1, -1), 0),
        ("RIGHTPADDING", (0, 0), (-1, -1), 0),
        ("TOPPADDING", (0, 0), (-1, -1), 1),
        ("BOTTOMPADDING", (0, 0), (-1, -1), 1),
    ]
    return Table(rows, colWidths=widths, style=[*plain, *rules], repeatRows=head)


def _words(
    text: str, size: float = 9, bold: bool = False, colour: HexColor = _INK, leading: float = 0, right: bool = False
) -> Paragraph:
    style = ParagraphStyle(
        "paper",
        fontName="Paper-Bold" if bold else "Paper",
        fontSize=size,
        leading=leading or size * 1.4,
        textColor=colour,
        alignment=TA_RIGHT if right else 0,
        splitLongWords=1,
    )
    return Paragraph(_set(text), style)


def _figure(text: str, size: float = 9, bold: bool = False, colour: HexColor = _INK) -> Paragraph:
    return _words(text, size, bold, colour, right=True)


def _set(text: str) -> str:
    """The text with what our font cannot write set in another one."""
    known = _letters()
    found = []
    for font, letters in groupby(text, lambda one: None if ord(one) in known or one.isspace() else _other_font(one)):
        run = escape("".join(letters))
        found.append(f'<font name="{font}">{run}</font>' if font else run)
    return "".join(found)


def _other_font(letter: str) -> str:
    code = ord(letter)
    if 0xAC00 <= code <= 0xD7AF or 0x1100 <= code <= 0x11FF or 0x3130 <= code <= 0x318F:
        return "HYGothic-Medium"
    return "HeiseiKakuGo-W5"


def _tax_of(part: Part) -> str:
    return f"{part.tax} ({_percent(part.rate)})" if Decimal(part.rate) else "–"


def _percent(rate: str) -> str:
    return f"{(Decimal(rate) * 100).normalize():f} %"


def _day(day: Any) -> str:
    return format_date(day, "d MMMM y", locale="en")
