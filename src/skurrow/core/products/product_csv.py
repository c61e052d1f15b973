"""Products as CSV (RFC 4180): one price or variant a row, amounts in a column for each currency.

On the way in, a cell that is left empty changes nothing, and a single hyphen clears what is there; products, prices and
variants that the file does not name stay as they are. What is said of a product stands in its first row; further rows
may leave it out, and may not say otherwise. Cells that a spreadsheet would take for a formula are written with an
apostrophe before them, which is taken off again.

>>> of = write([{"id": "kit", "name": "Kit", "kind": "goods", "variants": [{"id": "moss", "name": "Moss", "stock": 4}],
...              "prices": [{"id": "kit", "kind": "once", "amount": {"EUR": "48.00"}}]}], ["EUR"]).splitlines()
>>> of[1].strip(","), of[2].strip(",")
('kit,Kit,,goods,,,,,,,,,,,kit,once,,,,,,,,,,,48.00', 'kit,,,,,,,,,,,,,,,,,,,,,moss,Moss,4')
"""

from __future__ import annotations

import copy
import csv
import io
from collections.abc import Collection, Iterable, Mapping
from dataclasses import dataclass, field
from typing import Any, Literal, NamedTuple

from skurrow.core.bounds import MOST_DIGITS, digits, unfit
from skurrow.core.money import AmountError
from skurrow.core.problems import Path, Problem
from skurrow.core.products.picture_names import kept_as
from skurrow.core.typed_amounts import as_amount

PRODUCT_COLUMNS = (
    *("name", "owner_name", "kind", "counts_as", "held_in", "weight_g", "stock"),
    *("refund_days", "statement", "categories", "picture", "picture_text", "text"),
)
PRICE_COLUMNS = ("kind", "every", "payments", "label", "offered", "text")
VARIANT_COLUMNS = ("name", "stock", "picture", "picture_text")
_NUMBERS = {"weight_g", "stock", "payments", "refund_days"}
_YES_NO = {"offered": {"yes": True, "no": False}}
_FORMULA = ("=", "+", "-", "@", "\t", "\r")
AMOUNT = "amount_"
CLEAR = "-"
MOST_ROWS = 20_000

RowEffect = Literal["new", "changed", "same"]


@dataclass(frozen=True, slots=True)
class RowProblem:
    """What is wrong in a row (the first below the heading is 2, as a spreadsheet counts) and a column."""

    row: int
    column: str
    message: str
    remedy: str


@dataclass(slots=True)
class RowPlan:
    """What a row would do: to which product and price or variant, and which of its cells change something."""

    row: int
    product: str
    price: str
    variant: str
    effect: RowEffect
    changes: list[str] = field(default_factory=list)


class Cell(NamedTuple):
    """What a row is about: a product by itself, or one of its prices or variants."""

    product: str
    part: Literal["", "prices", "variants"] = ""
    name: str = ""


@dataclass(slots=True)
class Import:
    """A file read against the products there are: what each row does, the products as they would be, what is wrong."""

    rows: list[RowPlan]
    products: dict[str, dict[str, Any]]
    problems: list[RowProblem]
    cells: dict[Cell, int]
    """The first row of each product, and the row of each price and variant."""

    pictures: Collection[str] | None = None
    """The pictures that are kept; None where nobody asks."""

    said: dict[tuple[str, str], tuple[int, str]] = field(default_factory=dict)
    """In which row what was said of a product, by column."""


def columns(currencies: Iterable[str]) -> list[str]:
    """The heading."""
    product = [f"product_{name}" for name in ("id", *PRODUCT_COLUMNS)]
    price = [f"price_{name}" for name in ("id", *PRICE_COLUMNS)]
    variant = [f"variant_{name}" for name in ("id", *VARIANT_COLUMNS)]
    return [*product, *price, *variant, *(AMOUNT + code for code in currencies)]


def write(products: Iterable[Mapping[str, Any]], currencies: Iterable[str]) -> str:
    """Products with their prices and variants as a CSV file."""
    codes = list(currencies)
    written = io.StringIO()
    table = csv.writer(written, lineterminator="\r\n")
    table.writerow(columns(codes))
    no_price, no_variant = [""] * (len(PRICE_COLUMNS) + 1), [""] * (len(VARIANT_COLUMNS) + 1)
    for product in products:
        of_product = [written_cell(_value(product, name)) for name in PRODUCT_COLUMNS]
        for price in product["prices"]:
            cells = [price["id"], *(written_cell(_value(price, name)) for name in PRICE_COLUMNS)]
            table.writerow([product["id"], *of_product, *cells, *no_variant, *_amounts(price, codes)])
            of_product = [""] * len(of_product)
        for variant in product.get("variants", ()):
            cells = [variant["id"], *(written_cell(_value(variant, name)) for name in VARIANT_COLUMNS)]
            table.writerow([product["id"], *of_product, *no_price, *cells, *_amounts(variant, codes)])
    return written.getvalue()


def read(
    text: str,
    there: Mapping[str, Mapping[str, Any]],
    currencies: Iterable[str],
    pictures: Collection[str] | None = None,
) -> Import:
    """What a CSV file would do to the products that are there, by id. Pictures are named as they are kept, or as the
    files were called that were sent. Whether it fits is for `check` to say."""
    known = columns(currencies)
    found = Import([], {}, [], {}, pictures)
    try:
        table = list(csv.reader(io.StringIO(text.removeprefix("\ufeff"), newline=""), _dialect(text), strict=True))
    except csv.Error as error:
        found.problems.append(RowProblem(1, "", f"This is not CSV: {error}", "Save it as CSV with UTF-8"))
        return found
    heading = [name.strip() for name in table[0]] if table else []
    _read_heading(heading, known, found)
    if len(table) > MOST_ROWS + 1:
        found.problems.append(RowProblem(MOST_ROWS + 2, "", f"More than {MOST_ROWS} rows", "Split the file"))
    if found.problems:
        return found
    for row, cells in enumerate(table[1:], 2):
        if any(unfit(cell) for cell in cells):
            found.problems.append(RowProblem(row, "", "holds a character that cannot be kept", "Remove it"))
            continue
        if any(cell.strip() for cell in cells):
            _read_row(row, _values(row, heading, cells, found), there, found)
    return found


def located(problem: Problem, product: str, body: Mapping[str, Any], cells: Mapping[Cell, int]) -> RowProblem:
    """A problem of a product as the row and column that it stands in."""
    cell, column = Cell(product), ""
    path: Path = problem.path
    if path[:1] in (("prices",), ("variants",)) and len(path) > 1 and isinstance(path[1], int):
        part: Literal["prices", "variants"] = "prices" if path[0] == "prices" else "variants"
        cell = Cell(product, part, str(body[part][path[1]].get("id", "")))
        column = f"{part.removesuffix('s')}_{_column(path[2:])}"
        if path[2:3] == ("amount",) and len(path) > 3:
            column = AMOUNT + str(path[3])
    elif path:
        column = f"product_{_column(path)}"
    row = cells.get(cell) or cells.get(Cell(product), 0)
    return RowProblem(row, column, problem.message, problem.remedy.replace(", in quotes", ""))


# -- within -----------------------------------------------------------------------------------------------


def _column(path: Path) -> str:
    return "picture_text" if path[:2] == ("picture", "text") else str(path[0]) if path else "id"


def _value(body: Mapping[str, Any], name: str) -> Any:
    """What a column says of a product, price or variant."""
    if name == "categories":
        return ", ".join(body.get(name) or ()) or None
    if name in ("picture", "picture_text"):
        return (body.get("picture") or {}).get("name" if name == "picture" else "text")
    return body.get(name)


def _amounts(body: Mapping[str, Any], currencies: list[str]) -> list[str]:
    return [written_cell((body.get("amount") or {}).get(code)) for code in currencies]


def written_cell(value: Any) -> str:
    """A value as a cell that no spreadsheet takes for a formula."""
    if value is None:
        return ""
    if isinstance(value, bool):
        return "yes" if value else "no"
    text = str(value)
    return f"'{text}" if text.startswith(_FORMULA) or text.startswith("'") else text


def _dialect(text: str) -> type[csv.Dialect]:
    """Commas, or semicolons and tabs as spreadsheets write them in many countries."""
    first = text.removeprefix("\ufeff").split("\n", 1)[0]

    class Chosen(csv.excel):
        delimiter = max(",;\t", key=first.count)

    return Chosen


def _read_heading(heading: list[str], known: list[str], found: Import) -> None:
    for name in heading:
        if name not in known:
            remedy = f"Use one of {', '.join(known)}"
            found.problems.append(RowProblem(1, name, f"There is no column “{name}”", remedy))
        elif heading.count(name) > 1:
            found.problems.append(RowProblem(1, name, "The column comes twice", "Remove one of them"))
    if "product_id" not in heading:
        found.problems.append(RowProblem(1, "product_id", "The column is missing", "Add it"))
    if "price_id" not in heading and "variant_id" not in heading:
        found.problems.append(RowProblem(1, "price_id", "The column is missing", "Add it, or variant_id"))


def _values(row: int, heading: list[str], cells: list[str], found: Import) -> dict[str, str]:
    if len(cells) > len(heading):
        message = f"The row has {len(cells)} cells, the heading has {len(heading)}"
        found.problems.append(RowProblem(row, "", message, "Put texts with commas into quotes"))
    values = {name: cell.strip() for name, cell in zip(heading, cells, strict=False)}
    return {name: text[1:] if text.startswith("'") else text for name, text in values.items()}


def _read_row(row: int, values: dict[str, str], there: Mapping[str, Mapping[str, Any]], found: Import) -> None:
    cell = _about(row, values, found)
    if cell is None:
        return
    first = found.cells.get(cell)
    if first is not None:
        column = "price_id" if cell.part == "prices" else "variant_id"
        found.problems.append(RowProblem(row, column, f"is in row {first} already", "Remove one of them"))
        return
    body = _body(row, cell.product, there, found)
    found.cells[cell] = row
    listed = body["prices"] if cell.part == "prices" else body.setdefault("variants", [])
    part = next((one for one in listed if one["id"] == cell.name), None)
    new = part is None
    if part is None:
        part = {"id": cell.name, "kind": "once"} if cell.part == "prices" else {"id": cell.name}
        listed.append(part)
    names, prefix = (PRICE_COLUMNS, "price_") if cell.part == "prices" else (VARIANT_COLUMNS, "variant_")
    _refuse_contradictions(row, cell.product, values, found)
    changes = [
        *_take(row, values, "product_", PRODUCT_COLUMNS, body, found),
        *_take(row, values, prefix, names, part, found),
        *_take_amounts(row, values, part, found),
    ]
    effect: RowEffect = "new" if new else "changed" if changes else "same"
    price, variant = (cell.name, "") if cell.part == "prices" else ("", cell.name)
    found.rows.append(RowPlan(row, cell.product, price, variant, effect, changes))


def _about(row: int, values: dict[str, str], found: Import) -> Cell | None:
    """Which price or variant of which product a row is about; None where it does not say."""
    product, price, variant = (values.get(f"{one}_id", "") for one in ("product", "price", "variant"))
    before = len(found.problems)
    if not product:
        found.problems.append(RowProblem(row, "product_id", "is missing", "Write a short name with hyphens"))
    if not (price or variant):
        remedy = "Write the short name of a price, or of a variant"
        found.problems.append(RowProblem(row, "price_id", "is missing", remedy))
    if price and variant:
        message = "The row names a price and a variant"
        found.problems.append(RowProblem(row, "variant_id", message, "Give each a row of its own"))
    if len(found.problems) > before:
        return None
    return Cell(product, "prices", price) if price else Cell(product, "variants", variant)


def _body(row: int, product: str, there: Mapping[str, Mapping[str, Any]], found: Import) -> dict[str, Any]:
    """The product as the rows before have left it."""
    body = found.products.get(product)
    if body is None:
        before = there.get(product)
        body = copy.deepcopy(dict(before)) if before else {"id": product, "prices": []}
        found.products[product] = body
        found.cells[Cell(product)] = row
    return body


def _refuse_contradictions(row: int, product: str, values: dict[str, str], found: Import) -> None:
    for name in PRODUCT_COLUMNS:
        column = f"product_{name}"
        text = values.get(column, "")
        first, said = found.said.setdefault((product, column), (row, text)) if text else (row, text)
        if said != text:
            message = f"says otherwise than row {first}: “{said[:40]}”"
            found.problems.append(RowProblem(row, column, message, "Say it once, and leave the other cell empty"))


def _take(
    row: int, values: dict[str, str], prefix: str, names: tuple[str, ...], body: dict[str, Any], found: Import
) -> list[str]:
    changed = []
    for name in names:
        text = values.get(prefix + name, "")
        if not text:
            continue
        try:
            is_new = _take_picture(name, text, body, found) if name.startswith("picture") else _set(name, text, body)
        except ValueError as wrong:
            message, _, remedy = str(wrong).partition("; ")
            found.problems.append(RowProblem(row, prefix + name, message, remedy))
            continue
        if is_new:
            changed.append(prefix + name)
    return changed


def _set(name: str, text: str, body: dict[str, Any]) -> bool:
    """Sets what a cell says; whether that is new. Raises ValueError."""
    if text == CLEAR:
        return body.pop(name, None) is not None
    value: Any = text
    if name in _NUMBERS:
        value = digits(text, MOST_DIGITS)
        if value is None:
            raise ValueError("is no whole number; Write digits only")
    elif name in _YES_NO:
        if text.casefold() not in _YES_NO[name]:
            raise ValueError("is neither yes nor no; Write yes or no")
        value = _YES_NO[name][text.casefold()]
    elif name == "categories":
        value = [word.strip() for word in text.split(",") if word.strip()]
    if body.get(name, True if name == "offered" else None) == value:
        return False
    body[name] = value
    return True


def _take_picture(name: str, text: str, body: dict[str, Any], found: Import) -> bool:
    """Sets a picture's name, or what it shows; whether that is new. Raises ValueError."""
    picture = dict(body.get("picture") or {})
    part = "name" if name == "picture" else "text"
    if text == CLEAR:
        if part == "text":
            raise ValueError("A picture needs words for those who cannot see it; Write what it shows")
        return body.pop("picture", None) is not None
    value = text
    if part == "name" and found.pictures is not None and text not in found.pictures:
        value = kept_as(text)
        if value not in found.pictures:
            raise ValueError(f"There is no picture “{text[:60]}”; Send it along")
    if picture.get(part) == value:
        return False
    picture[part] = value
    body["picture"] = picture
    return True


def _take_amounts(row: int, values: dict[str, str], part: dict[str, Any], found: Import) -> list[str]:
    changed = []
    for column, text in values.items():
        if not column.startswith(AMOUNT) or not text:
            continue
        code, amounts = column.removeprefix(AMOUNT), part.get("amount") or {}
        if text == CLEAR:
            amounts = {name: amount for name, amount in amounts.items() if name != code}
        else:
            try:
                amounts = {**amounts, code: as_amount(text, code)}
            except AmountError as error:
                message, _, remedy = str(error).partition("; ")
                found.problems.append(RowProblem(row, column, message, remedy.capitalize()))
                continue
        if amounts != (part.get("amount") or {}):
            part["amount"] = amounts
            if not amounts:
                del part["amount"]
            changed.append(column)
    return changed
