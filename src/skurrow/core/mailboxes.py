"""Whether two email addresses are the same mailbox.

Addresses are compared by their local part with ASCII letters lowered, and their domain by IDNA 2008 (RFC 5891) as
A-labels, after the mapping of UTS 46 without its transitional part: `ß` and `ss` are two domains, which two people may
own. Nothing else is folded, since nothing else is the same mailbox everywhere. Mail goes to the address as it was
stored, never to one that was only compared with it.

>>> mailbox("Jo.Doe@Example.ORG"), mailbox("jo@großhandel.example"), mailbox("jo@grosshandel.example")
('jo.doe@example.org', 'jo@xn--grohandel-i1a.example', 'jo@grosshandel.example')
"""

from __future__ import annotations

import re

import idna

LONGEST = 254
"""Characters of an address (RFC 5321, section 4.5.3.1.3, less the angle brackets)."""

_UPPER = re.compile("[A-Z]+")


def mailbox(address: str) -> str:
    """What an address is compared by. One whose domain is none is compared as it stands."""
    local, _, domain = address.strip().rpartition("@")
    return f"{_lowered(local)}@{_domain(domain)}"


def _domain(domain: str) -> str:
    lowered = _lowered(domain)
    if lowered.isascii():
        return lowered.removesuffix(".")
    try:
        return idna.encode(lowered, uts46=True, transitional=False, std3_rules=True).decode().removesuffix(".")
    except (idna.IDNAError, UnicodeError):
        return lowered


def _lowered(text: str) -> str:
    return _UPPER.sub(lambda found: found[0].lower(), text)
