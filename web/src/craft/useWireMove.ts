import type { Craft } from "../api/types";
import { useAsked } from "../look/useAsked";
import type { HopProps } from "./hopProps";
import { moveWire } from "./useWorkedOut";

/** Solder one wire to another pad by hand, or take it off (null); the check says what comes of it. `problem`: why that cannot be. */
export function useWireMove(craft: Craft, edit: HopProps["edit"]) {
  const { problem, ask } = useAsked();
  const move = async (device: string, pin: string, pad: string | null) => {
    const answer = await ask(() => moveWire(craft, device, pin, pad));
    if (answer) edit(answer.view.edits, answer.version);
  };
  return { problem, move };
}
