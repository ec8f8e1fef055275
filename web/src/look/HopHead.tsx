import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Typography from "@mui/material/Typography";
import { createContext, type ReactNode, useContext, useState } from "react";
import { colours } from "./colours";
import { JumpMarks } from "./JumpMarks";

/** What a hop is for, and the order of its steps. */
export interface Purpose {
  says: string;
  steps: string[];
}

/** The purpose of the hop that is on the screen; null where there is none to tell. */
export const HopPurpose = createContext<Purpose | null>(null);

/** What stands right under the head of the hop that is on the screen. */
export const HopFirst = createContext<ReactNode>(null);

/** A hop's name and the question that it answers; what it is for is told on demand. */
export function HopHead({ title, question, children }: { title: string; question: string; children?: ReactNode }) {
  const purpose = useContext(HopPurpose);
  const first = useContext(HopFirst);
  const [told, tell] = useState(false);
  return (
    <Box sx={{ mb: 1.5 }}>
      <Box sx={{ display: "flex", alignItems: "flex-start", columnGap: 2, rowGap: 1, flexWrap: { xs: "wrap", md: "nowrap" } }}>
        <div>
          <Typography variant="h1">{title}</Typography>
          <Typography sx={{ color: "text.secondary" }}>
            {question}
            {purpose && (
              <Button
                variant="text"
                aria-expanded={told}
                onClick={() => tell(!told)}
                sx={{
                  ml: 0.5,
                  py: 0,
                  px: 0.75,
                  fontSize: 13,
                  fontWeight: 500,
                  color: colours.verdigris,
                  verticalAlign: "baseline",
                  minHeight: "0 !important",
                }}
              >
                {told ? "Close" : "What is this for?"}
              </Button>
            )}
          </Typography>
          <JumpMarks />
        </div>
        <Box
          sx={{
            ml: { xs: 0, md: "auto" },
            whiteSpace: { xs: "normal", md: "nowrap" },
            "& > div": { flexWrap: { xs: "wrap", md: "nowrap" } },
          }}
        >
          {children}
        </Box>
      </Box>
      {purpose && told && (
        <Box
          component="section"
          aria-label="What this hop is for"
          sx={{ mt: 1, px: 2, py: 1.25, maxWidth: 860, bgcolor: colours.verdigrisWash, borderRadius: 1.25, fontSize: 13.5 }}
        >
          {purpose.says}
          <Box component="ol" sx={{ m: 0, mt: 0.75, pl: 2.5 }}>
            {purpose.steps.map((step) => (
              <li key={step}>{step}</li>
            ))}
          </Box>
        </Box>
      )}
      {first && <Box sx={{ mt: 1.25, "&:empty": { display: "none" } }}>{first}</Box>}
    </Box>
  );
}
