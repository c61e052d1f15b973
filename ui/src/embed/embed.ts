// Opens checkouts over the page. Every link marked data-skurrow-place="over_page" stays a plain link without this.
// It keeps no cookie, reads nothing of the page, and listens only to the frame that it opened. Links that are also marked
// data-skurrow-basket share a basket: its random id lies in the website's own storage, and goes along with each of them.
// Whoever tries the website from the desk brings a mark after the sign #. It is kept for an hour and goes along, too, and
// a line at the foot of the page says so.
(() => {
  // Only links of the counter that this script came from: any other address in the page opens as it always did.
  const HOME = new URL((document.currentScript as HTMLScriptElement).src).origin;
  const SELECTOR = 'a[data-skurrow-place="over_page"]';
  const STYLE =
    "position:fixed;inset:0;width:100%;height:100%;max-width:none;max-height:none;margin:0;padding:0;border:0;" +
    "background:rgba(20,22,26,.55);overflow:hidden;";
  const BOX =
    "position:absolute;top:0;bottom:0;left:50%;transform:translateX(-50%);width:min(100%,560px);background:#fffefb;" +
    "display:flex;flex-direction:column;";
  const CLOSE =
    "position:absolute;top:8px;right:8px;width:44px;height:44px;border:0;border-radius:50%;background:#fffefb;" +
    "color:#20242b;font:24px/1 sans-serif;cursor:pointer;";

  const BASKET = "skurrow basket";

  const TRIAL = "skurrow test";
  const FOOT =
    "position:fixed;bottom:8px;left:8px;padding:8px 12px;background:#20242b;color:#fffefb;font:14px/1.4 sans-serif;" +
    "z-index:9999;";

  let opened: (() => void) | undefined;
  let basket: string | undefined;

  /** The id of this browser's basket at this website; where nothing can be stored, for as long as the page is open. */
  function basketId(): string {
    try {
      basket = localStorage.getItem(BASKET) ?? basket;
    } catch {
      // Forbidden: the page's own memory has it.
    }
    // 128 bits at random, as digits: `crypto.randomUUID` is not there on pages without TLS.
    basket ??= [...crypto.getRandomValues(new Uint8Array(16))]
      .map((one) => one.toString(16).padStart(2, "0"))
      .join("");
    try {
      localStorage.setItem(BASKET, basket);
    } catch {
      // As above.
    }
    return basket;
  }

  /** Until when the mark counts, in milliseconds, and the mark itself. */
  let until = 0;
  let mark = "";
  const given = /^#skurrow-test=(.*)$/.exec(location.hash)?.[1];
  try {
    if (given !== undefined) {
      history.replaceState(null, "", location.pathname + location.search);
      localStorage.setItem(TRIAL, given);
    }
    const [at, ...rest] = (localStorage.getItem(TRIAL) ?? "").split(".");
    until = Number(at);
    mark = rest.join(".");
    if (Date.now() >= until) localStorage.removeItem(TRIAL);
  } catch {
    // Nothing can be stored here: the counter's own mark is there for links that leave the page.
  }
  const tries = () => Date.now() < until;

  function showTrial() {
    const foot = document.createElement("div");
    const end = document.createElement("a");
    const time = new Date(until).toLocaleTimeString("en-GB", { hour: "2-digit", minute: "2-digit" });
    foot.dataset.skurrow = "trial";
    foot.setAttribute("role", "status");
    foot.style.cssText = FOOT;
    foot.textContent = `TEST until ${time}: nothing is charged. `;
    end.href = `${HOME}/stop-trying`;
    end.textContent = "End it now";
    end.style.color = "inherit";
    foot.append(end);
    document.body.append(foot);
    setTimeout(() => foot.remove(), until - Date.now());
  }
  if (tries()) {
    if (document.readyState === "loading") addEventListener("DOMContentLoaded", showTrial);
    else showTrial();
  }

  function open(link: HTMLAnchorElement) {
    opened?.();
    const address = new URL(link.href);
    address.searchParams.set("place", "over_page");
    const dialog = document.createElement("dialog");
    const box = document.createElement("div");
    const frame = document.createElement("iframe");
    const close = document.createElement("button");
    dialog.setAttribute("aria-label", link.textContent || "Checkout");
    dialog.dataset.skurrow = "over_page";
    dialog.style.cssText = STYLE;
    box.style.cssText = BOX;
    frame.src = address.href;
    frame.title = link.textContent || "Checkout";
    frame.style.cssText = "flex:1;width:100%;border:0";
    frame.allow = "payment; clipboard-write";
    close.type = "button";
    close.textContent = "×";
    close.setAttribute("aria-label", "Close the checkout");
    close.style.cssText = CLOSE;
    box.append(frame, close);
    dialog.append(box);
    document.body.append(dialog);

    const root = document.documentElement;
    const before = root.style.overflow;
    root.style.overflow = "hidden";
    const hear = (event: MessageEvent) => {
      if (event.origin !== address.origin || event.source !== frame.contentWindow) return;
      const said = (event.data as { skurrow?: string } | null)?.skurrow;
      if (said === "close") dialog.close();
      if (said === "ready") frame.focus();
    };
    const finish = () => {
      window.removeEventListener("message", hear);
      root.style.overflow = before;
      dialog.remove();
      opened = undefined;
      link.focus();
    };
    window.addEventListener("message", hear);
    close.addEventListener("click", () => dialog.close());
    dialog.addEventListener("close", finish);
    dialog.showModal();
    opened = () => dialog.close();
  }

  document.addEventListener("click", (event) => {
    const plain = event.button === 0 && !event.metaKey && !event.ctrlKey && !event.shiftKey && !event.altKey;
    const target = event.target instanceof Element ? event.target : null;
    const ours = target?.closest<HTMLAnchorElement>("a[href]");
    if (tries() && ours?.origin === HOME && ours.pathname.startsWith("/buy/")) {
      const address = new URL(ours.href);
      address.searchParams.set("test", mark);
      ours.href = address.href;
    }
    const shared = target?.closest<HTMLAnchorElement>("a[data-skurrow-basket]");
    if (shared?.origin === HOME) {
      const address = new URL(shared.href);
      address.searchParams.set("basket", basketId());
      shared.href = address.href;
    }
    const link = target?.closest<HTMLAnchorElement>(SELECTOR);
    if (
      !plain ||
      !link ||
      link.origin !== HOME ||
      event.defaultPrevented ||
      typeof HTMLDialogElement !== "function"
    )
      return;
    event.preventDefault();
    open(link);
  });
})();
