// The currencies of ISO 4217, named by the browser in English; a test compares them with the server's.
const CODES =
  "AED AFN ALL AMD AOA ARS AUD AWG AZN BAM BBD BDT BHD BIF BMD BND BOB BOV BRL BSD BTN BWP BYN BZD CAD CDF CHE CHF CHW CLF CLP CNY COP COU CRC CUP CVE CZK DJF DKK DOP DZD EGP ERN ETB EUR FJD FKP GBP GEL GHS GIP GMD GNF GTQ GYD HKD HNL HTG HUF IDR ILS INR IQD IRR ISK JMD JOD JPY KES KGS KHR KMF KPW KRW KWD KYD KZT LAK LBP LKR LRD LSL LYD MAD MDL MGA MKD MMK MNT MOP MRU MUR MVR MWK MXN MXV MYR MZN NAD NGN NIO NOK NPR NZD OMR PAB PEN PGK PHP PKR PLN PYG QAR RON RSD RUB RWF SAR SBD SCR SDG SEK SGD SHP SLE SOS SRD SSP STN SVC SYP SZL THB TJS TMT TND TOP TRY TTD TWD TZS UAH UGX USD USN UYI UYU UYW UZS VED VES VND VUV WST XAD XAF XCD XCG XOF XPF YER ZAR ZMW ZWG";

/** Units of account and of funds, in which nobody pays: the list of ISO 4217 has them too. */
const FUNDS = new Set(["BOV", "CHE", "CHW", "CLF", "COU", "MXV", "USN", "UYI", "UYW", "XAD"]);

const NAMES = new Intl.DisplayNames("en", { type: "currency" });

export const CURRENCIES: readonly (readonly [code: string, name: string])[] = CODES.split(" ").map(
  (code) => [code, `${code}, ${NAMES.of(code) ?? code}`] as const,
);

/** Those that are offered for prices. */
export const OFFERED = CURRENCIES.filter(([code]) => !FUNDS.has(code));
