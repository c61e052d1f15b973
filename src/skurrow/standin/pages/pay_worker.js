// The payment window of the browser asks here; the buyer answers in a page of ours that it opens (W3C Payment Handler).
"use strict";
let asked = null;
let answer = null;

self.addEventListener("canmakepayment", (event) => event.respondWith(true));

self.addEventListener("paymentrequest", (event) => {
  const method = event.methodData[0];
  asked = { kind: "asked", total: event.total, ...((method && method.data) || {}) };
  event.respondWith(
    new Promise((resolve, reject) => {
      answer = { resolve, reject };
    }),
  );
  event.openWindow("/pay-window").catch((error) => answer.reject(error));
});

self.addEventListener("message", (event) => {
  if (!answer) return;
  if (event.data.kind === "begin") event.source.postMessage(asked);
  if (event.data.kind === "token")
    answer.resolve({ methodName: `${self.location.origin}/pay`, details: { token: event.data.token } });
});
