import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import { useState } from "react";
import type { HopState } from "../../api/types";
import { sendHands } from "../../bench/useBench";

type At = "board" | "motors" | "servos";
const WAS: Record<At, { says: string; undoes: string[] }> = {
  board: { says: "The board was mounted anew", undoes: ["facing", "level", "steadying"] },
  motors: { says: "A motor or ESC was changed, or its wires", undoes: ["motors", "end points"] },
  servos: { says: "A servo was changed, or its horn set anew", undoes: ["surfaces", "steadying"] },
};

/** What no board can tell by itself: that hands were at what a proof rests on. Said once, and asked once more, since it undoes what was proven. */
export function HandsWere({ at, proofs, checks }: { at: At; proofs: HopState["proofs"]; checks: boolean }) {
  const [asked, ask] = useState(false);
  const undone = proofs.filter((each) => each.standing === "holds" && WAS[at].undoes.includes(each.name)).map((each) => each.name);
  if (undone.length === 0 || !checks) return null;
  return (
    <Box
      component="section"
      aria-label="Since it was proven"
      sx={{ display: "flex", gap: 0.5, flexWrap: "wrap", alignItems: "center", fontSize: 13, color: "text.secondary", mb: 1 }}
    >
      {asked ? (
        <>
          {WAS[at].says}? To be proven again then: {undone.join(", ")}.
          <Button
            variant="outlined"
            sx={{ py: 0, ml: 0.5 }}
            onClick={() => {
              sendHands({ handled: at });
              ask(false);
            }}
          >
            It was so
          </Button>
          <Button variant="text" sx={{ py: 0 }} onClick={() => ask(false)}>
            No
          </Button>
        </>
      ) : (
        <>
          Proven: {undone.join(", ")}, as long as no hands were at it since.
          <Button variant="text" sx={{ py: 0 }} onClick={() => ask(true)}>
            {WAS[at].says}
          </Button>
        </>
      )}
    </Box>
  );
}
