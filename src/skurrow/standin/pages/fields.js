// The card fields: they check what is typed, trade it for a one-time token, and tell only the page that holds them.
(function () {
  "use strict";
  const settings = JSON.parse(document.getElementById("settings").textContent);
  const field = (name) => document.getElementById(name);
  const say = (message) => window.parent.postMessage({ from: "standin-cards", ...message }, settings.parent);

  function luhn(digits) {
    let sum = 0;
    for (let i = 0; i < digits.length; i += 1) {
      let digit = Number(digits[digits.length - 1 - i]);
      if (i % 2 === 1) digit = digit * 2 > 9 ? digit * 2 - 9 : digit * 2;
      sum += digit;
    }
    return sum % 10 === 0;
  }

  function problemOfNumber(digits) {
    if (!digits) return "Type the number on the card.";
    if (!digits.startsWith("9")) return "Only stand-in cards are taken here; they begin with 9.";
    if (digits.length !== 16) return "A card number here has 16 digits.";
    return luhn(digits) ? "" : "A digit seems to be wrong; compare it with the card.";
  }

  function monthOf(text) {
    const match = /^\s*(\d{1,2})\s*\/?\s*(?:20)?(\d{2})\s*$/.exec(text);
    if (!match || Number(match[1]) < 1 || Number(match[1]) > 12) return null;
    return `20${match[2]}-${match[1].padStart(2, "0")}`;
  }

  function problemOfExpiry(text) {
    const month = monthOf(text);
    if (!month) return "Type month and year, as in 08 / 29.";
    return month < new Date().toISOString().slice(0, 7) ? "This card has expired." : "";
  }

  function show(name, problem) {
    field(`${name}-problem`).textContent = problem;
    field(name).setAttribute("aria-invalid", String(Boolean(problem)));
    return !problem;
  }

  function check() {
    const digits = field("number").value.replace(/\D/g, "");
    const results = [
      ["number", problemOfNumber(digits)],
      ["expires", problemOfExpiry(field("expires").value)],
      ["code", /^\d{3,4}$/.test(field("code").value) ? "" : "Type the 3 or 4 digits."],
    ];
    const wrong = results.filter(([name, problem]) => !show(name, problem));
    if (wrong.length) field(wrong[0][0]).focus();
    return wrong.length === 0;
  }

  async function tokenise(id) {
    if (!check()) return say({ kind: "invalid", id });
    try {
      const answer = await fetch("/tokens", {
        method: "POST",
        headers: { "content-type": "application/json" },
        body: JSON.stringify({
          merchant: settings.merchant,
          mode: settings.mode,
          number: field("number").value,
          expires: monthOf(field("expires").value),
          code: field("code").value,
        }),
      });
      const body = await answer.json();
      if (answer.ok) return say({ kind: "token", id, token: body.token });
      if (body.field) {
        show(body.field, body.message);
        field(body.field).focus();
        return say({ kind: "invalid", id });
      }
      return say({ kind: "unreachable", id });
    } catch {
      return say({ kind: "unreachable", id });
    }
  }

  field("number").addEventListener("input", (event) => {
    const input = event.target;
    if (input.selectionStart !== input.value.length) return;
    input.value = input.value.replace(/\D/g, "").slice(0, 19).replace(/(.{4})(?=.)/g, "$1 ");
  });
  field("expires").addEventListener("input", (event) => {
    const input = event.target;
    if (event.inputType !== "deleteContentBackward" && /^\d{2}$/.test(input.value)) input.value += " / ";
  });
  for (const name of ["number", "expires", "code"]) {
    field(name).addEventListener("input", () => field(`${name}-problem`).textContent && show(name, ""));
    field(name).addEventListener("keydown", (event) => {
      if (event.key === "Escape") say({ kind: "escape" });
    });
  }
  document.querySelector("form").addEventListener("submit", (event) => {
    event.preventDefault();
    say({ kind: "enter" });
  });
  window.addEventListener("message", (event) => {
    if (event.origin !== settings.parent || event.source !== window.parent) return;
    if (event.data && event.data.kind === "tokenise") tokenise(event.data.id);
    if (event.data && event.data.kind === "focus") field("number").focus();
  });
  if (settings.filled) {
    const [number, expires, code] = JSON.parse(settings.filled);
    field("number").value = number;
    field("expires").value = expires;
    field("code").value = code;
  }
  new ResizeObserver(() => say({ kind: "height", height: document.body.scrollHeight })).observe(document.body);
  say({ kind: "ready" });
})();
