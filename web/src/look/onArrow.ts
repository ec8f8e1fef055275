import type { KeyboardEvent } from "react";

const STEPS: Record<string, number> = { ArrowDown: 1, ArrowRight: 1, ArrowUp: -1, ArrowLeft: -1 };

/** Within a group of radios or tabs the arrow keys move to the next one and choose it. */
export function onArrow(event: KeyboardEvent<HTMLElement>): void {
  const step = STEPS[event.key];
  const radios = [...event.currentTarget.querySelectorAll<HTMLElement>('[role="radio"], [role="tab"]')];
  const at = radios.indexOf(document.activeElement as HTMLElement);
  if (step === undefined || at < 0) return;
  event.preventDefault();
  const next = radios[(at + step + radios.length) % radios.length];
  next?.focus();
  next?.click();
}
