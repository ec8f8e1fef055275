import { create } from "zustand";
import { type Mode, PALETTES } from "./colours";

export const CHOICES = ["system", "light", "dark"] as const;
export type Choice = (typeof CHOICES)[number];

const KEY = "coin-bell-mode";
const night = window.matchMedia("(prefers-color-scheme: dark)");

function chosen(): Choice {
  try {
    const kept = localStorage.getItem(KEY);
    return CHOICES.find((each) => each === kept) ?? "system";
  } catch {
    return "system"; // a browser that keeps nothing
  }
}

const modeOf = (choice: Choice): Mode => (choice === "system" ? (night.matches ? "dark" : "light") : choice);

/** Light or dark: as the system has it, until somebody chooses by hand. */
export const useMode = create<{ choice: Choice; mode: Mode }>(() => ({ choice: chosen(), mode: modeOf(chosen()) }));

export function chooseMode(choice: Choice): void {
  try {
    localStorage.setItem(KEY, choice);
  } catch {
    // it holds until the page is left
  }
  useMode.setState({ choice, mode: modeOf(choice) });
}

function show({ mode }: { mode: Mode }): void {
  document.documentElement.dataset.mode = mode;
  document.querySelector('meta[name="theme-color"]')?.setAttribute("content", PALETTES[mode].paper);
}

night.addEventListener("change", () => useMode.setState(({ choice }) => ({ mode: modeOf(choice) })));
useMode.subscribe(show);
show(useMode.getState());
