"""Products at the desk beyond editing one: copies, order, stock, pictures, CSV."""

from __future__ import annotations

from typing import Annotated, Literal

from fastapi import Response, UploadFile
from pydantic import BaseModel, Field

from skurrow.service.draft import pictures, products
from skurrow.web.access import Configuring, Means, Site
from skurrow.web.desk.bodies import Given
from skurrow.web.desk.draft.parts import ListKind, Part, part_view
from skurrow.web.routes import desk_router

router = desk_router()


class MoveRequest(Given):
    """Where a part goes: behind another of its list, or first."""

    after: Annotated[str, Field(max_length=100)] | None


class StockView(BaseModel):
    """What is left of a stock; `begun` is false while it is the opening count that nobody has bought from."""

    mode: Literal["test", "live"]
    variant: str
    remaining: int
    begun: bool


class CountRequest(Given):
    """What was counted: `seen` is what the desk showed when the count began."""

    mode: Literal["test", "live"]
    variant: Annotated[str, Field(max_length=60)] = ""
    seen: Annotated[int, Field(ge=0)]
    counted: Annotated[int, Field(ge=0, le=1_000_000_000)]


class PictureName(BaseModel):
    """The name under which a picture is kept, and where it can be seen."""

    name: str
    address: str


class CsvRequest(Given):
    """A CSV file. `seen` is the draft's change that it was shown for; without it, only show."""

    text: Annotated[str, Field(max_length=8 * 1024 * 1024)]
    seen: Annotated[int, Field(ge=0)] | None = None


class CsvRow(BaseModel):
    """What a row does."""

    row: int
    product: str
    price: str
    variant: str
    effect: Literal["new", "changed", "same"]
    changes: list[str]


class CsvProblem(BaseModel):
    """What is wrong in a row and a column."""

    row: int
    column: str
    message: str
    remedy: str


class CsvView(BaseModel):
    """What a CSV file does, or has done; `change` is the draft's."""

    change: int
    done: bool
    rows: list[CsvRow]
    problems: list[CsvProblem]


@router.post("/sites/{site}/parts/{kind}/{part_id}/copy")
async def copy_part(kind: ListKind, part_id: str, at: Configuring, context: Means) -> Part:
    """A copy of a part, at the end of its list."""
    return part_view(await products.duplicate(context, at.site_id, at.person.id, kind, part_id))


@router.post("/sites/{site}/parts/{kind}/{part_id}/move")
async def move_part(kind: ListKind, part_id: str, body: MoveRequest, at: Configuring, context: Means) -> Part:
    """Puts a part behind another of its list, or first."""
    return part_view(await products.move(context, at.site_id, at.person.id, kind, part_id, body.after))


@router.get("/sites/{site}/stock/{product_id}")
async def show_stock(product_id: str, at: Site, context: Means) -> list[StockView]:
    """What is left of a product, in test and live."""
    found = await products.stock(context, at.site_id, product_id)
    return [StockView(mode=o.mode, variant=o.variant, remaining=o.remaining, begun=o.begun) for o in found]


@router.post("/sites/{site}/stock/{product_id}")
async def count_stock(product_id: str, body: CountRequest, at: Configuring, context: Means) -> list[StockView]:
    """Sets a stock to what was counted."""
    await products.recount(
        context, at.site_id, at.person.id, product_id, body.mode, body.variant, body.seen, body.counted
    )
    return await show_stock(product_id, at, context)


@router.post("/sites/{site}/pictures")
async def add_picture(picture: UploadFile, at: Configuring, context: Means) -> PictureName:
    """Checks a picture, makes it smaller, removes its metadata, and keeps it."""
    content = await picture.read(pictures.LARGEST_UPLOAD + 1)
    name = await pictures.add(context, at.site_id, at.person.id, picture.filename or "picture", content)
    return PictureName(name=name, address=f"/pictures/{at.site_id}/{name}")


@router.get("/sites/{site}/products.csv", response_class=Response)
async def export_products(at: Site, context: Means) -> Response:
    """All products as CSV."""
    text = await products.to_csv(context, at.site_id)
    headers = {"Content-Disposition": f'attachment; filename="{at.code}-products.csv"'}
    return Response("\ufeff" + text, media_type="text/csv; charset=utf-8", headers=headers)


@router.post("/sites/{site}/products.csv")
async def import_products(body: CsvRequest, at: Configuring, context: Means) -> CsvView:
    """Shows what a CSV file would do, row by row; or does it."""
    change, found = await products.from_csv(context, at.site_id, at.person.id, body.text, body.seen)
    return CsvView(
        change=change,
        done=body.seen is not None and not found.problems,
        rows=[
            CsvRow(row=o.row, product=o.product, price=o.price, variant=o.variant, effect=o.effect, changes=o.changes)
            for o in found.rows
        ],
        problems=[CsvProblem(row=o.row, column=o.column, message=o.message, remedy=o.remedy) for o in found.problems],
    )
