"""The desk's API. Everything under `/desk/api`, for signed-in people, one site at a time."""

from __future__ import annotations

from skurrow.web.desk import live
from skurrow.web.desk.draft import on_the_site, parts, products, site, site_file
from skurrow.web.desk.orders import give_backs, orders, refunds, selling, test_book
from skurrow.web.desk.papers import mails, papers
from skurrow.web.desk.payments import aside, payments, transfers
from skurrow.web.desk.people import people, session, their_sites
from skurrow.web.desk.subscriptions import calendar, changes, moving_over, subscriptions
from skurrow.web.desk.tape import sold, tapes
from skurrow.web.desk.tax import tax

PARTS = (
    *(session, their_sites, site, site_file, products, parts, tapes, on_the_site, payments),
    *(tax, papers, mails, give_backs, orders, test_book, refunds, subscriptions, changes, moving_over, calendar),
    *(transfers, people, live, selling, aside, sold),
)
