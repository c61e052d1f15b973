// The buyer chooses one of the cards that this browser keeps; it is traded for a one-time token, as in the card fields.
(function () {
  "use strict";
  const total = document.getElementById("total");
  const problem = document.getElementById("problem");
  let asked = null;

  const tell = (message) => navigator.serviceWorker.ready.then((known) => known.active.postMessage(message));

  navigator.serviceWorker.addEventListener("message", (event) => {
    asked = event.data;
    total.textContent = `${asked.total.currency} ${asked.total.value}`;
  });

  async function pay(button) {
    if (!asked) return;
    const { merchant, mode } = asked;
    const typed = { merchant, mode, number: button.dataset.number, expires: button.dataset.expires, code: "123" };
    try {
      const answer = await fetch("/tokens", {
        method: "POST",
        headers: { "content-type": "application/json" },
        body: JSON.stringify(typed),
      });
      const body = await answer.json();
      if (!answer.ok) throw new Error(body.message || "refused");
      await tell({ kind: "token", token: body.token });
    } catch {
      problem.textContent = "This card cannot be used at the moment. Try another one, or close the window.";
    }
  }

  document.querySelectorAll("button[data-number]").forEach((button) => button.addEventListener("click", () => pay(button)));
  navigator.serviceWorker.startMessages();
  tell({ kind: "begin" });
})();
