"""`./test --changed` takes what a change touches, and leaves what it does not."""

from __future__ import annotations

import pytest

from tests.changed import touched_by


@pytest.mark.parametrize(
    ("changed", "taken", "left"),
    [
        (
            "src/skurrow/core/subscriptions/life.py",
            "tests/core/subscriptions/test_life.py",
            "tests/core/tax/test_rates.py",
        ),
        ("src/skurrow/service/orders/refunds.py", "tests/service/orders/test_refunds.py", "tests/core/test_money.py"),
        ("docs/tax.md", "tests/test_docs.py", "tests/core/tax/test_deciding.py"),
        ("ui/src/desk/coupons/Coupons.tsx", "tests/browser/test_products.py", "tests/browser/test_tax.py"),
        ("tests/service/papers/writers.py", "tests/service/papers/test_papers.py", "tests/service/tax/test_tax.py"),
        ("src/skurrow/store/migrations/0014_new.sql", "tests/store", "tests/core/test_money.py"),
    ],
)
def test_what_a_change_touches(changed: str, taken: str, left: str) -> None:
    tests = touched_by({changed})
    assert taken in tests
    assert left not in tests
