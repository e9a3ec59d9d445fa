import { useSyncExternalStore } from "react";

export type Theme = "day" | "night";

const listeners = new Set<() => void>();
let current: Theme = read();

function read(): Theme {
  try {
    const kept = localStorage.getItem("paperkettle-theme");
    if (kept === "day" || kept === "night") return kept;
  } catch {
    // Storage may be off; then the system's wish decides.
  }
  return globalThis.matchMedia?.("(prefers-color-scheme: dark)").matches ? "night" : "day";
}

export function applyTheme(theme: Theme = current) {
  current = theme;
  document.documentElement.dataset.theme = theme;
  try {
    localStorage.setItem("paperkettle-theme", theme);
  } catch {
    // Not kept; nothing else to do.
  }
  for (const l of listeners) l();
}

function follow(listener: () => void) {
  listeners.add(listener);
  return () => listeners.delete(listener);
}

const now = () => current;

export const useTheme = (): Theme => useSyncExternalStore(follow, now, now);

/** The colour of a CSS variable, as the chart needs it. */
export const ink = (name: string) =>
  getComputedStyle(document.documentElement).getPropertyValue(`--${name}`).trim();

/** Contenders keep the colour of their place in the plan, on every page. */
export const hueOf = (place: number) => `hue-${(Math.max(0, place) % 8) + 1}`;
