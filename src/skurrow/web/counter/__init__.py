"""What a buyer meets: the counter's pages and its API. A buyer has no cookie; the visit's token
says who asks."""

from __future__ import annotations

from skurrow.web.counter import buying, pages, price_list, trying

PARTS = (buying, pages, price_list, trying)
