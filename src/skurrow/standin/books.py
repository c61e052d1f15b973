"""What a stand-in gateway remembers, in one SQLite file: tokens, charges, refunds, disputes, events to send.

Numbers of cards and accounts are not among it: a token keeps how they behave, their last four digits, and a
fingerprint by which the same one is known again.
"""

from __future__ import annotations

import base64
import contextlib
import hashlib
import json
import secrets
import sqlite3
import threading
import time
import uuid
from collections.abc import Iterator, Sequence
from pathlib import Path
from typing import Any

_SCHEMA = """
create table if not exists token (
  token text primary key, merchant text not null, mode text not null, behaviour text not null,
  ending text not null, expires text not null, made real not null, used_by text,
  fingerprint text not null, country text not null
);
create table if not exists salt (salt blob not null);
create table if not exists kept (
  token text primary key, merchant text not null, mode text not null, behaviour text not null,
  ending text not null, expires text not null, fingerprint text not null, country text not null,
  made real not null, charges integer not null default 0
);
create table if not exists code (
  code text primary key, client text not null, redirect text not null, challenge text not null,
  merchant text not null, mode text not null, made real not null, used real
);
create table if not exists granted (
  token text primary key, code text not null, merchant text not null, mode text not null, made real not null
);
create table if not exists calendar (
  merchant text not null, mode text not null, ahead real not null, primary key (merchant, mode)
);
create table if not exists charge (
  merchant text not null, mode text not null, key text not null, id text not null unique,
  request text not null, outcome text not null check (outcome in ('pending', 'approved', 'refused')),
  reason text, amount text not null, currency text not null, ending text not null, expires text not null,
  made real not null, due real, fate text, keeps text, kept text, on_file integer not null default 0,
  primary key (merchant, mode, key)
);
create index if not exists charge_due on charge (due) where due is not null;
create table if not exists approval (
  approval text primary key, merchant text not null, mode text not null, key text not null,
  unique (merchant, mode, key)
);
create table if not exists dispute (
  id text primary key, merchant text not null, mode text not null, charge_key text not null,
  outcome text not null check (outcome in ('open', 'won', 'lost')), made real not null, decided real,
  reason text not null
);
create table if not exists unanswered (
  merchant text not null, mode text not null, key text not null, primary key (merchant, mode, key)
);
create table if not exists refund (
  merchant text not null, mode text not null, charge_key text not null, key text not null, id text not null,
  amount text not null, made real not null, outcome text not null check (outcome in ('made', 'refused')),
  primary key (merchant, mode, charge_key, key)
);
create table if not exists address (
  merchant text not null, mode text not null, url text not null, secret text not null,
  primary key (merchant, mode)
);
create table if not exists event (
  id text primary key, merchant text not null, mode text not null, body text not null,
  made real not null, sent real, tries integer not null default 0, next_try real not null
);
create index if not exists event_to_send on event (next_try) where sent is null;
"""

_CHARGE = (
    "select c.*, a.approval from charge c left join approval a"
    " on a.merchant = c.merchant and a.mode = c.mode and a.key = c.key "
)
APPROVED_WITHIN = 7 * 86400
"""Seconds within which a buyer approves a charge of what is on file; one that they make is approved at once or soon."""

CODE_LIFE = 60
"""Seconds in which a code can be traded for a key."""

TOKEN_LIFE = 30 * 60
"""Seconds in which a token can be used for its one charge."""


class Books:
    """The books of a gateway. `who` is a pair of merchant and mode ("test" or "live").

    Requests come from several threads and share one connection, which one of them uses at a time.
    """

    def __init__(self, file: Path) -> None:
        file.parent.mkdir(parents=True, exist_ok=True)
        self._db = sqlite3.connect(file, isolation_level=None, check_same_thread=False)
        self._db.row_factory = sqlite3.Row
        self._alone = threading.RLock()
        self._db.execute("pragma journal_mode = wal")
        self._db.executescript(_SCHEMA)
        self._widen()
        # A charge that was being worked on when the process died was never made.
        self._run(
            "delete from charge where outcome = 'pending' and due is null and not exists (select 1 from approval a"
            " where a.merchant = charge.merchant and a.mode = charge.mode and a.key = charge.key)"
        )
        self._run("insert into salt select randomblob(32) where not exists (select 1 from salt)")
        self._salt = bytes(self._rows("select salt from salt")[0]["salt"])

    def _rows(self, query: str, parameters: Sequence[object] = ()) -> list[dict[str, Any]]:
        with self._alone:
            return [dict(row) for row in self._db.execute(query, parameters).fetchall()]

    def _run(self, query: str, parameters: Sequence[object] = ()) -> int:
        with self._alone:
            return self._db.execute(query, parameters).rowcount

    def _widen(self) -> None:
        """Adds what books that were begun earlier lack."""
        known = {row["name"] for row in self._rows("pragma table_info(charge)")}
        for name, kind in (("keeps", "text"), ("kept", "text"), ("on_file", "integer not null default 0")):
            if name not in known:
                self._run(f"alter table charge add column {name} {kind}")

    @contextlib.contextmanager
    def _transaction(self) -> Iterator[None]:
        with self._alone:
            self._db.execute("begin immediate")
            try:
                yield
            except BaseException:
                self._db.execute("rollback")
                raise
            self._db.execute("commit")

    # -- tokens -------------------------------------------------------------------------------------------

    def new_token(self, who: tuple[str, str], number: str, behaviour: str, country: str, expires: str = "") -> str:
        """A token for one charge with the card or account just typed."""
        token = secrets.token_urlsafe(24)
        fingerprint = hashlib.blake2b(number.encode(), key=self._salt, digest_size=12).hexdigest()
        self._run(
            "insert into token values (?, ?, ?, ?, ?, ?, ?, null, ?, ?)",
            (token, *who, behaviour, number[-4:], expires, time.time(), fingerprint, country),
        )
        return token

    def token(self, who: tuple[str, str], token: str) -> dict[str, Any] | None:
        """What a token stands for: the last digits, the country, and the fingerprint of a card or account."""
        rows = self._rows(
            "select ending, expires, country, fingerprint from token where token = ? and merchant = ? and mode = ?",
            (token, *who),
        )
        return rows[0] if rows else None

    def use_token(self, who: tuple[str, str], token: str, key: str) -> dict[str, Any] | None:
        """The token's card, now bound to the charge `key`; None if it is unknown, too old or used elsewhere."""
        rows = self._rows(
            "update token set used_by = ? where token = ? and merchant = ? and mode = ?"
            " and (used_by = ? or (used_by is null and made > ?))"
            " returning behaviour, ending, expires, fingerprint, country",
            (key, token, *who, key, time.time() - TOKEN_LIFE),
        )
        return rows[0] if rows else None

    def kept(self, who: tuple[str, str], token: str) -> dict[str, Any] | None:
        """The card or account on file, with how many charges of it there were, this one counted."""
        rows = self._rows(
            "update kept set charges = charges + 1 where token = ? and merchant = ? and mode = ?"
            " returning behaviour, ending, expires, fingerprint, country, charges",
            (token, *who),
        )
        return rows[0] if rows else None

    # -- charges ------------------------------------------------------------------------------------------

    def charge(self, who: tuple[str, str], key: str) -> dict[str, Any] | None:
        """The charge with the caller's key, if there is one."""
        rows = self._rows(_CHARGE + "where c.merchant = ? and c.mode = ? and c.key = ?", (*who, key))
        return rows[0] if rows else None

    def begin_approval(
        self, who: tuple[str, str], key: str, request: dict[str, str], card: dict[str, Any]
    ) -> dict[str, Any]:
        """Notes that a charge waits for its buyer's approval."""
        with self._transaction():
            self.begin_charge(who, key, request, card)
            self._run("insert into approval values (?, ?, ?, ?)", (secrets.token_urlsafe(18), *who, key))
        charge = self.charge(who, key)
        assert charge is not None
        return charge

    def charge_to_approve(self, approval: str) -> dict[str, Any] | None:
        """The charge that an approval is about."""
        rows = self._rows(_CHARGE + "where a.approval = ?", (approval,))
        return rows[0] if rows else None

    def end_late_approvals(self, seconds: float) -> None:
        """Charges that nobody approved in time are refused."""
        late = self._rows(
            _CHARGE + "left join calendar d on d.merchant = c.merchant and d.mode = c.mode"
            " where c.outcome = 'pending' and a.approval is not null"
            " and c.made + (case when c.on_file then ? else ? end) <= ? + coalesce(d.ahead, 0)",
            (APPROVED_WITHIN, seconds, time.time()),
        )
        for one in late:
            self.finish_charge((one["merchant"], one["mode"]), one["key"], "refused", "not_approved")

    def begin_charge(
        self,
        who: tuple[str, str],
        key: str,
        request: dict[str, str],
        card: dict[str, Any],
        due: float | None = None,
        fate: str | None = None,
    ) -> None:
        """Notes that a charge is being worked on; one that is `due` later meets its `fate` then."""
        amount, currency = request["amount"], request["currency"]
        self._run(
            "insert into charge values (?, ?, ?, ?, ?, 'pending', null, ?, ?, ?, ?, ?, ?, ?, ?, null, ?)",
            (
                *(*who, key, uuid.uuid4().hex, json.dumps(request, sort_keys=True)),
                *(amount, currency, card["ending"], card["expires"], self.now(who), due, fate),
                json.dumps(card) if request.get("keep") else None,
                1 if request.get("on_file") else 0,
            ),
        )

    def finish_charge(self, who: tuple[str, str], key: str, outcome: str, reason: str | None) -> dict[str, Any]:
        """Decides a charge, and notes the event about it in the same transaction. What is to be kept on file is, once
        it was charged."""
        with self._transaction():
            self._run(
                "update charge set outcome = ?, reason = ?, due = null, fate = null, made = ?"
                " where merchant = ? and mode = ? and key = ?",
                (outcome, reason, self.now(who), *who, key),
            )
            if outcome == "approved":
                self._keep(who, key)
            charge = self.charge(who, key)
            assert charge is not None
            self._note_event(who, f"charge.{outcome}", public_charge(charge))
        return charge

    def _keep(self, who: tuple[str, str], key: str) -> None:
        charge = self.charge(who, key)
        if charge is None or charge["keeps"] is None or charge["kept"] is not None:
            return
        card, token = json.loads(charge["keeps"]), secrets.token_urlsafe(24)
        self._run(
            "insert into kept values (?, ?, ?, ?, ?, ?, ?, ?, ?, 0)",
            (token, *who, *(card[name] for name in ("behaviour", "ending", "expires", "fingerprint", "country")),
             self.now(who)),
        )  # fmt: skip
        self._run("update charge set kept = ? where merchant = ? and mode = ? and key = ?", (token, *who, key))

    def record(self, charge_id: str) -> dict[str, Any] | None:
        """A charge by the gateway's own name for it, with its refunds and disputes."""
        rows = self._rows(_CHARGE + "where c.id = ?", (charge_id,))
        if not rows:
            return None
        charge = rows[0]
        who = charge["merchant"], charge["mode"]
        disputes = [one for one in self.disputes(who) if one["charge"] == charge["key"]]
        refunds = [public_refund(one, charge) for one in self.refunds(who, charge["key"])]
        return {**public_charge(charge), "merchant": charge["merchant"], "refunds": refunds, "disputes": disputes}

    def give_up(self, who: tuple[str, str], key: str) -> dict[str, Any] | None:
        """Gives up a charge that waits for its buyer or for its day; one that is decided stays as it is."""
        charge = self.charge(who, key)
        if charge is None or charge["outcome"] != "pending" or not (charge["approval"] or charge["due"]):
            return charge
        return self.finish_charge(who, key, "refused", "given_up")

    # -- authorisations -------------------------------------------------------------------------------------

    def new_code(self, client: str, redirect: str, challenge: str, who: tuple[str, str]) -> str:
        """A code that a client can trade, once and soon, for a key of a merchant's mode."""
        code = secrets.token_urlsafe(24)
        self._run(
            "insert into code values (?, ?, ?, ?, ?, ?, ?, null)",
            (code, client, redirect, challenge, *who, time.time()),
        )
        return code

    def trade_code(self, code: str, client: str, redirect: str, challenge: str) -> tuple[str, dict[str, Any]] | None:
        """The key for a code, with whose it is. A code that is traded twice takes back what it has given."""
        with self._transaction():
            rows = self._rows("select * from code where code = ?", (code,))
            if rows and rows[0]["used"] is not None:
                self._run("delete from granted where code = ?", (code,))
                return None
            now = time.time()
            fits = rows and (rows[0]["client"], rows[0]["redirect"], rows[0]["challenge"]) == (
                client,
                redirect,
                challenge,
            )
            if not fits or now - rows[0]["made"] > CODE_LIFE:
                return None
            token = f"{rows[0]['mode']}-{secrets.token_urlsafe(24)}"
            self._run("update code set used = ? where code = ?", (now, code))
            self._run(
                "insert into granted values (?, ?, ?, ?, ?)", (token, code, rows[0]["merchant"], rows[0]["mode"], now)
            )
            return token, rows[0]

    def granted(self, token: str) -> tuple[str, str] | None:
        """Whose key it is, if it was given for a code."""
        rows = self._rows("select merchant, mode from granted where token = ?", (token,))
        return (rows[0]["merchant"], rows[0]["mode"]) if rows else None

    # -- the calendar -------------------------------------------------------------------------------------

    def now(self, who: tuple[str, str]) -> float:
        """What the calendar of a merchant's mode says."""
        rows = self._rows("select ahead from calendar where merchant = ? and mode = ?", who)
        return time.time() + (rows[0]["ahead"] if rows else 0)

    def move_to(self, who: tuple[str, str], at: float) -> None:
        """Moves the calendar forward; what falls due by then happens at once."""
        self._run("insert or replace into calendar values (?, ?, ?)", (*who, max(at, self.now(who)) - time.time()))

    def move_back(self, who: tuple[str, str]) -> None:
        """The calendar says what the clock does again."""
        self._run("delete from calendar where merchant = ? and mode = ?", who)

    def ripe(self) -> list[dict[str, Any]]:
        """Charges whose day has come, the first due first."""
        return self._rows(
            "select c.* from charge c left join calendar d on d.merchant = c.merchant and d.mode = c.mode"
            " where c.due is not null and c.due <= ? + coalesce(d.ahead, 0) order by c.due",
            (time.time(),),
        )

    def fall_due(self, who: tuple[str, str], key: str, due: float | None, fate: str | None) -> None:
        """When a charge meets its next fate; None: never."""
        self._run(
            "update charge set due = ?, fate = ? where merchant = ? and mode = ? and key = ?", (due, fate, *who, key)
        )

    # -- what is listed -----------------------------------------------------------------------------------

    def charges(self, who: tuple[str, str]) -> list[dict[str, Any]]:
        """All charges, the newest first, at most a thousand."""
        return self._rows(_CHARGE + "where c.merchant = ? and c.mode = ? order by c.made desc limit 1000", who)

    def first_time(self, who: tuple[str, str], key: str) -> bool:
        """Whether this key meets the card that never answers for the first time."""
        return self._run("insert or ignore into unanswered values (?, ?, ?)", (*who, key)) == 1

    # -- refunds ------------------------------------------------------------------------------------------

    def refunds(self, who: tuple[str, str], charge_key: str) -> list[dict[str, Any]]:
        """The refunds of one charge."""
        return self._rows("select * from refund where merchant = ? and mode = ? and charge_key = ?", (*who, charge_key))

    def add_refund(
        self, who: tuple[str, str], charge: dict[str, Any], key: str, amount: str, refused: bool
    ) -> dict[str, Any]:
        """Decides a refund, and notes the event about it; one that was decided meanwhile stays."""
        outcome = "refused" if refused else "made"
        with self._transaction():
            made = self._run(
                "insert or ignore into refund values (?, ?, ?, ?, ?, ?, ?, ?)",
                (*who, charge["key"], key, uuid.uuid4().hex, amount, self.now(who), outcome),
            )
            (row,) = (one for one in self.refunds(who, charge["key"]) if one["key"] == key)
            refund = public_refund(row, charge)
            if made:
                self._note_event(who, "charge.refunded", {**public_charge(charge), "refund": refund})
        return refund

    def open_dispute(self, who: tuple[str, str], charge: dict[str, Any], reason: str = "not_recognised") -> str | None:
        """The buyer of a charge disputes it, once; the event about it is noted."""
        with self._transaction():
            if any(one["charge_key"] == charge["key"] for one in self._disputes(who)):
                return None
            name = uuid.uuid4().hex
            self._run(
                "insert into dispute values (?, ?, ?, ?, 'open', ?, null, ?)",
                (name, *who, charge["key"], self.now(who), reason),
            )
            self._tell_dispute(who, name, "dispute.opened")
        return name

    def disputes(self, who: tuple[str, str]) -> list[dict[str, Any]]:
        """All disputes, the newest first."""
        return [_public_dispute(one) for one in self._disputes(who)]

    def decide_dispute(self, who: tuple[str, str], name: str, outcome: str) -> dict[str, Any] | None:
        """Decides an open dispute and notes the event about it; None if there is no such."""
        with self._transaction():
            touched = self._run(
                "update dispute set outcome = ?, decided = ? where merchant = ? and mode = ? and id = ?"
                " and outcome = 'open'",
                (outcome, self.now(who), *who, name),
            )
            return self._tell_dispute(who, name, f"dispute.{outcome}") if touched else None

    def _disputes(self, who: tuple[str, str]) -> list[dict[str, Any]]:
        return self._rows(
            "select d.*, c.amount, c.currency from dispute d join charge c on c.merchant = d.merchant"
            " and c.mode = d.mode and c.key = d.charge_key where d.merchant = ? and d.mode = ? order by d.made desc",
            who,
        )

    def _tell_dispute(self, who: tuple[str, str], name: str, kind: str) -> dict[str, Any]:
        (row,) = (one for one in self._disputes(who) if one["id"] == name)
        charge = self.charge(who, row["charge_key"])
        assert charge is not None
        self._note_event(who, kind, {**public_charge(charge), "dispute": _public_dispute(row)})
        return _public_dispute(row)

    def entries(self, who: tuple[str, str], since: float, until: float, skip: int, most: int) -> list[dict[str, Any]]:
        """Money that moved, charges and refunds, by the time at which it did."""
        rows = self._rows(
            "select 'charge' as kind, key, id, amount, currency, made from charge where merchant = ? and mode = ?"
            " and outcome = 'approved' and made >= ? and made < ?"
            " union all select 'refund', r.key, r.id, r.amount, c.currency, r.made from refund r join charge c"
            " on c.merchant = r.merchant and c.mode = r.mode and c.key = r.charge_key"
            " where r.merchant = ? and r.mode = ? and r.outcome = 'made' and r.made >= ? and r.made < ?"
            " union all select 'dispute', null, d.id, c.amount, c.currency, d.decided from dispute d join charge c"
            " on c.merchant = d.merchant and c.mode = d.mode and c.key = d.charge_key"
            " where d.merchant = ? and d.mode = ? and d.outcome = 'lost' and d.decided >= ? and d.decided < ?"
            " order by made, id limit ? offset ?",
            (*who, since, until, *who, since, until, *who, since, until, most, skip),
        )
        stamp = "%Y-%m-%dT%H:%M:%SZ"
        return [{**row, "at": time.strftime(stamp, time.gmtime(row.pop("made")))} for row in rows]

    # -- events -------------------------------------------------------------------------------------------

    def set_address(self, who: tuple[str, str], url: str) -> dict[str, str]:
        """Where events go from now on; the secret stays while the address does."""
        known = self.address(who)
        if known and known["url"] == url:
            return known
        secret = "whsec_" + base64.b64encode(secrets.token_bytes(24)).decode()
        self._run("insert or replace into address values (?, ?, ?, ?)", (*who, url, secret))
        return {"url": url, "secret": secret}

    def address(self, who: tuple[str, str]) -> dict[str, str] | None:
        """The registered address with its signing secret."""
        rows = self._rows("select url, secret from address where merchant = ? and mode = ?", who)
        return rows[0] if rows else None

    def events_to_send(self) -> list[dict[str, Any]]:
        """Events that are due, each with the address and secret it goes to."""
        return self._rows(
            "select event.*, address.url, address.secret from event join address using (merchant, mode)"
            " where sent is null and next_try <= ? order by made limit 50",
            (time.time(),),
        )

    def event_tried(self, event_id: str, delivered: bool) -> None:
        """Notes that an event arrived, or when it is tried again: after 1, 2, 4 … seconds, at most an hour."""
        if delivered:
            self._run("update event set sent = ? where id = ?", (time.time(), event_id))
            return
        self._run(
            "update event set tries = tries + 1, next_try = ? + min(3600, 1 << min(tries, 12)) where id = ?",
            (time.time(), event_id),
        )

    def put_off(self, event_id: str, seconds: float) -> None:
        """Sends an event later, for the first time."""
        self._run("update event set tries = 1, next_try = ? where id = ?", (time.time() + seconds, event_id))

    def _note_event(self, who: tuple[str, str], kind: str, data: dict[str, Any]) -> None:
        now = time.time()
        stamp = time.strftime("%Y-%m-%dT%H:%M:%SZ", time.gmtime(now))
        body = json.dumps({"type": kind, "timestamp": stamp, "data": data})
        self._run(
            "insert into event (id, merchant, mode, body, made, next_try) values (?, ?, ?, ?, ?, ?)",
            ("msg_" + secrets.token_urlsafe(16), *who, body, now, now),
        )


def public_charge(charge: dict[str, Any]) -> dict[str, Any]:
    """A charge as the API shows it."""
    return {
        "id": charge["id"],
        "key": charge["key"],
        "outcome": charge["outcome"],
        "reason": charge["reason"],
        "approval": charge["approval"] if charge["outcome"] == "pending" else None,
        "approve_by": _stamp(charge["made"] + APPROVED_WITHIN)
        if charge["outcome"] == "pending" and charge["on_file"]
        else None,
        "kept": {"token": charge["kept"], "ending": charge["ending"], "expires": charge["expires"] or None}
        if charge["kept"]
        else None,
        "amount": charge["amount"],
        "currency": charge["currency"],
        "text": json.loads(charge["request"])["text"],
        "card": {"ending": charge["ending"], "expires": charge["expires"]} if charge["expires"] else None,
        "account": {"ending": charge["ending"]} if charge["ending"] and not charge["expires"] else None,
        "expected": _day(charge["due"]) if charge["outcome"] == "pending" and charge["due"] else None,
        "mode": charge["mode"],
        "at": time.strftime("%Y-%m-%dT%H:%M:%SZ", time.gmtime(charge["made"])),
    }


def _stamp(at: float) -> str:
    return time.strftime("%Y-%m-%dT%H:%M:%SZ", time.gmtime(at))


def _day(at: float) -> str:
    return time.strftime("%Y-%m-%d", time.gmtime(at))


def _public_dispute(dispute: dict[str, Any]) -> dict[str, Any]:
    at = dispute["decided"] or dispute["made"]
    return {
        "id": dispute["id"],
        "charge": dispute["charge_key"],
        "outcome": dispute["outcome"],
        "reason": dispute["reason"],
        "amount": dispute["amount"],
        "currency": dispute["currency"],
        "at": time.strftime("%Y-%m-%dT%H:%M:%SZ", time.gmtime(at)),
    }


def public_refund(refund: dict[str, Any], charge: dict[str, Any]) -> dict[str, Any]:
    """A refund as the API shows it."""
    return {
        "id": refund["id"],
        "key": refund["key"],
        "outcome": refund["outcome"],
        "reason": "not_possible" if refund["outcome"] == "refused" else None,
        "amount": refund["amount"],
        "currency": charge["currency"],
        "at": time.strftime("%Y-%m-%dT%H:%M:%SZ", time.gmtime(refund["made"])),
    }
