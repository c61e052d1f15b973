"""The account page, where customers look after what they have, and the page of a mailed link to pay or approve."""

from __future__ import annotations

from skurrow.web.account import mine, renewal, signing_in

PARTS = (signing_in, mine, renewal)
