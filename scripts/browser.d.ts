/** What the page has beside the browser's own: htmx, as far as our scripts speak to it. */
interface Window {
  htmx: {
    ajax(verb: string, address: string, how: HowToAsk): Promise<void>;
    trigger(on: Element, event: string): void;
  };
}

interface HowToAsk { target: string; values?: object; source?: Element; swap?: string; select?: string }

/** htmx's own events carry what they are about. */
interface DocumentEventMap {
  [named: `htmx:${string}`]: CustomEvent;
  "plate-kept": CustomEvent;
}

interface HTMLElementEventMap {
  [named: `htmx:${string}`]: CustomEvent;
}
