// The account fields: they check what is typed, trade it for a one-time token, and tell only the page that holds them.
(function () {
  "use strict";
  const settings = JSON.parse(document.getElementById("settings").textContent);
  const field = (name) => document.getElementById(name);
  const say = (message) => window.parent.postMessage({ from: "standin-debit", ...message }, settings.parent);

  function show(name, problem) {
    field(`${name}-problem`).textContent = problem;
    field(name).setAttribute("aria-invalid", String(Boolean(problem)));
    return !problem;
  }

  /** The remainder of an IBAN by ISO 7064 MOD 97-10; it is 1 where no digit is wrong. */
  function remainder(iban) {
    const moved = iban.slice(4) + iban.slice(0, 4);
    return [...moved].reduce((sum, c) => Number(`${sum}${parseInt(c, 36)}`) % 97, 0);
  }

  function problemOfNumber(iban) {
    if (!iban) return "Type the number of the account.";
    if (!iban.startsWith("XX")) return "Only stand-in accounts are taken here; they begin with XX.";
    return /^[A-Z0-9]{15,34}$/.test(iban) && remainder(iban) === 1 ? "" : "A digit seems to be wrong; look at it once more.";
  }

  async function tokenise(id) {
    const number = field("number").value.replace(/[\s-]/g, "").toUpperCase();
    const results = [
      ["number", problemOfNumber(number)],
      ["holder", field("holder").value.trim() ? "" : "Type whose account it is."],
      ["agreed", field("agreed").checked ? "" : "Tick this, so that the account may be charged."],
    ];
    const wrong = results.filter(([name, problem]) => !show(name, problem));
    if (wrong.length) {
      field(wrong[0][0]).focus();
      return say({ kind: "invalid", id });
    }
    try {
      const { merchant, mode } = settings;
      const typed = { merchant, mode, number, holder: field("holder").value, agreed: true };
      const answer = await fetch("/tokens", {
        method: "POST",
        headers: { "content-type": "application/json" },
        body: JSON.stringify(typed),
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

  for (const name of ["number", "holder", "agreed"]) {
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
    const [number, holder] = JSON.parse(settings.filled);
    field("number").value = number;
    field("holder").value = holder;
  }
  new ResizeObserver(() => say({ kind: "height", height: document.body.scrollHeight })).observe(document.body);
  say({ kind: "ready" });
})();
