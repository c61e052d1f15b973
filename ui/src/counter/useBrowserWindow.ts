import { useState, useEffect } from "react";
import type { PayWay } from "./PayWays";

/**
 * How the browser's own payment window (W3C Payment Request) is opened for an amount, once it is known that it can pay;
 * undefined where the browser or the gateway has none.
 */
export function useBrowserWindow(
  way: PayWay | undefined,
  quote: { currency: string; due_today: string } | undefined,
): (() => PaymentRequest) | undefined {
  const [can, setCan] = useState<string>();
  const method = way?.window?.method;
  const data = way?.window?.data;
  const open = (currency: string, value: string) =>
    new PaymentRequest([{ supportedMethods: method ?? "", data }], {
      total: { label: "Your order", amount: { currency, value } },
    });
  useEffect(() => {
    if (!method || !("PaymentRequest" in window)) return;
    let here = true;
    const asked = new Promise<boolean>((resolve) => {
      const total = { label: "Your order", amount: { currency: "EUR", value: "1.00" } };
      resolve(new PaymentRequest([{ supportedMethods: method, data }], { total }).canMakePayment());
    });
    asked.then(
      (it) => {
        if (here) setCan(it ? method : undefined);
      },
      () => undefined, // a browser that does not let this page ask has no window to offer
    );
    return () => {
      here = false;
    };
  }, [method, data]);
  return method && can === method && quote ? () => open(quote.currency, quote.due_today) : undefined;
}
