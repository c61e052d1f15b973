"""Bank statements as banks write them: camt.053 (version 8) and MT940, from amounts, texts and payers."""

from __future__ import annotations

from collections.abc import Sequence

IBAN = "NL51ZZZZ0123456789"
Line = tuple[str, str, str]


def camt(lines: Sequence[Line], day: str = "2026-11-02", currency: str = "EUR") -> bytes:
    """A camt.053 statement of a day; references that begin with RF are written as structured ones."""
    entries = ""
    for n, (amount, text, payer) in enumerate(lines):
        plain = text.replace(" ", "")
        written = (
            f"<Strd><CdtrRefInf><Tp><CdOrPrtry><Cd>SCOR</Cd></CdOrPrtry><Issr>ISO</Issr></Tp><Ref>{plain}</Ref>"
            "</CdtrRefInf></Strd>"
            if plain.startswith("RF")
            else f"<Ustrd>{text}</Ustrd>"
        )
        entries += (
            f'<Ntry><Amt Ccy="{currency}">{amount}</Amt><CdtDbtInd>CRDT</CdtDbtInd><Sts><Cd>BOOK</Cd></Sts>'
            f"<BookgDt><Dt>{day}</Dt></BookgDt><ValDt><Dt>{day}</Dt></ValDt><AcctSvcrRef>{day}-{amount}-{n}</AcctSvcrRef>"
            "<BkTxCd><Prtry><Cd>NTRF</Cd></Prtry></BkTxCd>"
            "<NtryDtls><TxDtls><Refs><EndToEndId>NOTPROVIDED</EndToEndId></Refs>"
            f'<Amt Ccy="{currency}">{amount}</Amt><CdtDbtInd>CRDT</CdtDbtInd>'
            f"<RltdPties><Dbtr><Pty><Nm>{payer}</Nm></Pty></Dbtr>"
            f"<DbtrAcct><Id><IBAN>NL91ABNA0417164300</IBAN></Id></DbtrAcct></RltdPties><RmtInf>{written}</RmtInf>"
            "</TxDtls></NtryDtls></Ntry>"
        )
    return (
        '<?xml version="1.0" encoding="UTF-8"?><Document xmlns="urn:iso:std:iso:20022:tech:xsd:camt.053.001.08">'
        f"<BkToCstmrStmt><GrpHdr><MsgId>M1</MsgId><CreDtTm>{day}T20:00:00</CreDtTm></GrpHdr>"
        f"<Stmt><Id>S1</Id><CreDtTm>{day}T20:00:00</CreDtTm><Acct><Id><IBAN>{IBAN}</IBAN></Id></Acct>"
        "<Bal><Tp><CdOrPrtry><Cd>CLBD</Cd></CdOrPrtry></Tp>"
        f'<Amt Ccy="{currency}">1.00</Amt><CdtDbtInd>CRDT</CdtDbtInd><Dt><Dt>{day}</Dt></Dt></Bal>'
        f"{entries}</Stmt></BkToCstmrStmt></Document>"
    ).encode()


def mt940(lines: Sequence[Line], day: str = "2026-11-02") -> bytes:
    """The same as MT940, in euros."""
    short = day.replace("-", "")[2:]
    entries = "".join(
        f":61:{short}{short[2:]}C{amount.replace('.', ',')}NTRFNONREF//B{n}\r\n"
        f":86:166?00Credit?20{text[:27]}?21{text[27:54]}?32{payer[:27]}\r\n"
        for n, (amount, text, payer) in enumerate(lines)
    )
    return (
        f":20:STATEMENT\r\n:25:{IBAN}\r\n:28C:1/1\r\n:60F:C{short}EUR0,00\r\n{entries}:62F:C{short}EUR1,00\r\n-\r\n"
    ).encode()
