"""Products as CSV (RFC 4180): one price a row, amounts in a column for each currency.

On the way in, a cell that is left empty changes nothing, and a single hyphen clears what is there; products and
prices that the file does not name stay as they are. Cells that a spreadsheet would take for a formula are written
with an apostrophe before them, which is taken off again.

>>> write([{"id": "kit", "name": "Kit", "kind": "goods",
...         "prices": [{"id": "kit", "kind": "once", "amount": {"EUR": "48.00"}}]}], ["EUR"]).splitlines()[1]
'kit,Kit,,goods,,,,,,kit,once,,,,,,48.00'
"""

from __future__ import annotations

import copy
import csv
import io
from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field
from typing import Any, Literal

from skurrow.core.bounds import MOST_DIGITS, digits, unfit
from skurrow.core.money import AmountError
from skurrow.core.problems import Path, Problem
from skurrow.core.typed_amounts import as_amount

PRODUCT_COLUMNS = ("name", "owner_name", "kind", "counts_as", "held_in", "weight_g", "stock", "text")
PRICE_COLUMNS = ("kind", "every", "payments", "label", "offered", "text")
_NUMBERS = {"weight_g", "stock", "payments"}
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
    """What a row would do: to which product and price, and which of its cells change something."""

    row: int
    product: str
    price: str
    effect: RowEffect
    changes: list[str] = field(default_factory=list)


@dataclass(slots=True)
class Import:
    """A file read against the products there are: what each row does, the products as they would be, what is wrong."""

    rows: list[RowPlan]
    products: dict[str, dict[str, Any]]
    problems: list[RowProblem]
    cells: dict[tuple[str, str], int]
    """The first row of each product (price "") and the row of each price."""


def columns(currencies: Iterable[str]) -> list[str]:
    """The heading."""
    product = [f"product_{name}" for name in ("id", *PRODUCT_COLUMNS)]
    price = [f"price_{name}" for name in ("id", *PRICE_COLUMNS)]
    return [*product, *price, *(AMOUNT + code for code in currencies)]


def write(products: Iterable[Mapping[str, Any]], currencies: Iterable[str]) -> str:
    """Products with their prices as a CSV file."""
    codes = list(currencies)
    written = io.StringIO()
    table = csv.writer(written, lineterminator="\r\n")
    table.writerow(columns(codes))
    for product in products:
        for price in product["prices"]:
            cells = [product["id"], *(written_cell(product.get(name)) for name in PRODUCT_COLUMNS)]
            cells += [price["id"], *(written_cell(price.get(name)) for name in PRICE_COLUMNS)]
            cells += [written_cell(price.get("amount", {}).get(code)) for code in codes]
            table.writerow(cells)
    return written.getvalue()


def read(text: str, there: Mapping[str, Mapping[str, Any]], currencies: Iterable[str]) -> Import:
    """What a CSV file would do to the products that are there, by id. Whether it fits is for `check` to say."""
    known = columns(currencies)
    found = Import([], {}, [], {})
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


def located(
    problem: Problem, product: str, body: Mapping[str, Any], cells: Mapping[tuple[str, str], int]
) -> RowProblem:
    """A problem of a product as the row and column that it stands in."""
    price, column = "", ""
    path: Path = problem.path
    if path[:1] == ("prices",) and len(path) > 1 and isinstance(path[1], int):
        price = str(body["prices"][path[1]].get("id", ""))
        name = str(path[2]) if len(path) > 2 else "id"
        column = AMOUNT + str(path[3]) if name == "amount" and len(path) > 3 else f"price_{name}"
    elif path:
        column = f"product_{path[0]}"
    row = cells.get((product, price)) or cells.get((product, ""), 0)
    return RowProblem(row, column, problem.message, problem.remedy.replace(", in quotes", ""))


# -- within -----------------------------------------------------------------------------------------------


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
    for needed in ("product_id", "price_id"):
        if needed not in heading:
            found.problems.append(RowProblem(1, needed, "The column is missing", "Add it"))


def _values(row: int, heading: list[str], cells: list[str], found: Import) -> dict[str, str]:
    if len(cells) > len(heading):
        message = f"The row has {len(cells)} cells, the heading has {len(heading)}"
        found.problems.append(RowProblem(row, "", message, "Put texts with commas into quotes"))
    values = {name: cell.strip() for name, cell in zip(heading, cells, strict=False)}
    return {name: text[1:] if text.startswith("'") else text for name, text in values.items()}


def _read_row(row: int, values: dict[str, str], there: Mapping[str, Mapping[str, Any]], found: Import) -> None:
    product_id, price_id = values["product_id"], values["price_id"]
    for column, given in (("product_id", product_id), ("price_id", price_id)):
        if not given:
            found.problems.append(RowProblem(row, column, "is missing", "Write a short name with hyphens"))
    if not (product_id and price_id):
        return
    if (product_id, price_id) in found.cells:
        first = found.cells[product_id, price_id]
        found.problems.append(RowProblem(row, "price_id", f"is in row {first} already", "Remove one of them"))
        return
    before = there.get(product_id)
    body = found.products.get(product_id)
    if body is None:
        body = copy.deepcopy(dict(before)) if before else {"id": product_id, "prices": []}
        found.products[product_id] = body
        found.cells[product_id, ""] = row
    found.cells[product_id, price_id] = row
    price = next((one for one in body["prices"] if one["id"] == price_id), None)
    new = price is None
    if price is None:
        price = {"id": price_id, "kind": "once"}
        body["prices"].append(price)
    changes = [
        *_take(row, values, "product_", PRODUCT_COLUMNS, body, found),
        *_take(row, values, "price_", PRICE_COLUMNS, price, found),
        *_take_amounts(row, values, price, found),
    ]
    effect: RowEffect = "new" if new else "changed" if changes else "same"
    found.rows.append(RowPlan(row, product_id, price_id, effect, changes))


def _take(
    row: int, values: dict[str, str], prefix: str, names: tuple[str, ...], body: dict[str, Any], found: Import
) -> list[str]:
    changed = []
    for name in names:
        text = values.get(prefix + name, "")
        if not text:
            continue
        value: Any = text
        if text == CLEAR:
            if body.pop(name, None) is not None:
                changed.append(prefix + name)
            continue
        if name in _NUMBERS:
            value = digits(text, MOST_DIGITS)
            if value is None:
                found.problems.append(RowProblem(row, prefix + name, "is no whole number", "Write digits only"))
                continue
        elif name in _YES_NO:
            if text.casefold() not in _YES_NO[name]:
                found.problems.append(RowProblem(row, prefix + name, "is neither yes nor no", "Write yes or no"))
                continue
            value = _YES_NO[name][text.casefold()]
        if body.get(name, True if name == "offered" else None) != value:
            body[name] = value
            changed.append(prefix + name)
    return changed


def _take_amounts(row: int, values: dict[str, str], price: dict[str, Any], found: Import) -> list[str]:
    changed = []
    for column, text in values.items():
        if not column.startswith(AMOUNT) or not text:
            continue
        code, amounts = column.removeprefix(AMOUNT), price.get("amount") or {}
        if text == CLEAR:
            amounts = {name: amount for name, amount in amounts.items() if name != code}
        else:
            try:
                amounts = {**amounts, code: as_amount(text, code)}
            except AmountError as error:
                message, _, remedy = str(error).partition("; ")
                found.problems.append(RowProblem(row, column, message, remedy.capitalize()))
                continue
        if amounts != (price.get("amount") or {}):
            price["amount"] = amounts
            if not amounts:
                del price["amount"]
            changed.append(column)
    return changed
