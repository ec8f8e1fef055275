import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import { useState } from "react";
import type { Told } from "../../api/types";
import { known, sendHands, useBenchStore } from "../../bench/useBench";
import { Coin } from "../../look/Coin";
import { colours } from "../../look/colours";
import { WalkRound } from "./WalkRound";

type LostTold = NonNullable<Told["lost_link"]>;

/** The proofs of this hop in their order: the first that is missing is open, any other can be. What this craft does not ask for is told apart. */
export function LossProofs({ told }: { told: LostTold }) {
  const state = useBenchStore((store) => known(store)?.chain.find((each) => each.hop === "lost link"));
  const [opened, open] = useState<string | null>(null);
  if (!state) return null;
  const needed = state.proofs?.filter((proof) => proof.needed) ?? [];
  const needless = state.proofs?.filter((proof) => !proof.needed) ?? [];
  const next = needed.find((proof) => proof.standing !== "holds")?.name;
  const shown = opened ?? next;
  const holds = needed.filter((proof) => proof.standing === "holds").length;
  return (
    <Box component="section" aria-label="Proofs" sx={{ minWidth: 0 }}>
      <Box sx={{ display: "flex", alignItems: "baseline", mb: 0.5 }}>
        <Box component="h3" sx={{ m: 0, fontSize: 12.5, color: "text.secondary", fontWeight: 600 }}>
          Proofs, in their order
        </Box>
        <Box component="span" sx={{ ml: "auto", fontSize: 12.5, color: "text.secondary" }}>
          {holds} of {needed.length}
        </Box>
      </Box>
      <Box component="ol" sx={{ m: 0, p: 0, listStyle: "none" }}>
        {needed.map((proof) => {
          const how = told.how.find((each) => each.name === proof.name);
          const isOpen = shown === proof.name;
          return (
            <Box component="li" key={proof.name} sx={{ borderTop: 1, borderColor: "divider", py: 0.6 }}>
              <Box
                component="button"
                type="button"
                aria-expanded={isOpen}
                onClick={() => open(isOpen ? "" : proof.name)}
                sx={{
                  all: "unset",
                  display: "flex",
                  alignItems: "center",
                  gap: 1,
                  width: "100%",
                  cursor: "pointer",
                  minHeight: 26,
                  fontSize: 13.5,
                  "&:focus-visible": { outline: `2px solid ${colours.verdigris}`, outlineOffset: 2 },
                }}
              >
                <Coin
                  state={proof.standing === "holds" ? "rings true" : proof.standing === "changed" ? "tarnished" : "blank"}
                  size={18}
                  label={proof.standing === "holds" ? "proven" : proof.standing === "changed" ? "tarnished" : "not proven yet"}
                />
                <Box component="span" sx={{ fontWeight: 600, flex: 1 }}>
                  {proof.name}
                </Box>
                {proof.name === next && (
                  <Box component="span" sx={{ fontSize: 12, color: colours.copperText }}>
                    next
                  </Box>
                )}
              </Box>
              {isOpen && (
                <Box sx={{ fontSize: 13, color: "text.secondary", pl: "33px", pt: 0.25 }}>
                  {proof.standing === "holds" ? proof.says : how?.text}
                  {proof.standing === "changed" && (
                    <Box component="span" sx={{ color: colours.tarnishText }}>
                      {" "}
                      {proof.why}.
                    </Box>
                  )}
                  {proof.name === "range walk" && proof.standing !== "holds" && <WalkRound told={told} />}
                  {how && (how.going || how.hands_say) && (
                    <Box sx={{ display: "flex", alignItems: "center", gap: 1.5, mt: 0.5, flexWrap: "wrap" }}>
                      {how.hands_say && (
                        <Button variant="outlined" onClick={() => sendHands(how.hands ?? {})}>
                          {how.hands_say}
                        </Button>
                      )}
                      <span role="status">{how.going}</span>
                    </Box>
                  )}
                </Box>
              )}
            </Box>
          );
        })}
      </Box>
      {needless.length > 0 && (
        <Box sx={{ borderTop: 1, borderColor: "divider", pt: 0.75, fontSize: 12.5, color: "text.secondary" }}>
          Not needed: {needless.map((proof) => `${proof.name} (${proof.why})`).join("; ")}.
        </Box>
      )}
    </Box>
  );
}
