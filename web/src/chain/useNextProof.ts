import { useRef } from "react";
import type { Hop } from "../api/types";
import { known, useBenchStore } from "../bench/useBench";

/**
 * The proof of a hop that was to be seen next when the hop was opened; "" where none was, null until that is known. It stays, so that nothing that is
 * ordered by it moves under the hand.
 */
export function useNextProof(hop: Hop): string | null {
  const opened = useRef<string | null>(null);
  const proofs = useBenchStore((state) => known(state)?.chain.find((each) => each.hop === hop)?.proofs);
  if (opened.current === null && proofs) opened.current = proofs.find((proof) => proof.needed && proof.standing !== "holds")?.name ?? "";
  return opened.current;
}
