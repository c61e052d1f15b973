"""Checkouts at the desk: copied, locked with a reason, and what they say of coupons."""

from __future__ import annotations

from playwright.sync_api import Page, expect

from tests.browser.conftest import Running, expect_saved, go


def test_a_checkout_is_copied_locked_and_edited_by_whoever_means_it(desk: Page, workshop: Running) -> None:
    go(desk, workshop, "checkouts/patterns")
    desk.get_by_role("button", name="Make a copy").click()
    name = desk.get_by_label("Name at the desk")
    expect(name).to_have_value("Folding patterns, copy")
    desk.get_by_label("Why it stays as it is").fill("Printed on the box")
    expect_saved(desk)
    assert name.is_enabled(), "nobody is locked out while the reason is typed"
    ((copied,),) = workshop.rows(
        "select part_id from part_revisions where kind = 'checkout' and body->>'locked' is not null"
        " order by change desc limit 1"
    )
    go(desk, workshop, f"checkouts/{copied}")
    expect(name).to_be_disabled()
    expect(desk.get_by_label("Heading", exact=True)).to_be_disabled()
    expect(desk.get_by_text("Printed on the box").first).to_be_visible()
    desk.get_by_role("button", name="Edit it all the same").click()
    desk.get_by_role("button", name="Edit it", exact=True).click()
    expect(name).to_be_enabled()

    desk.get_by_label("At this checkout").select_option("by_link")
    expect_saved(desk)
    expect(desk.get_by_label("What opens the field")).to_have_count(0)
    desk.get_by_role("button", name="Make a copy").click()
    expect(name).to_have_value("Folding patterns, copy, copy")
    expect(name).to_be_enabled()  # a copy is nobody's box
    expect(desk.get_by_label("At this checkout")).to_have_value("by_link")
    for left in ("Folding patterns, copy, copy", "Folding patterns, copy"):
        if name.input_value() != left:
            go(desk, workshop, f"checkouts/{copied}")
            desk.get_by_role("button", name="Edit it all the same").click()
            desk.get_by_role("button", name="Edit it", exact=True).click()
        desk.get_by_role("button", name="Archive", exact=True).click()
        expect(desk.get_by_text(f"Archived: {left}.")).to_be_visible()
