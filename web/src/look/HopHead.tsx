import Box from "@mui/material/Box";
import Typography from "@mui/material/Typography";
import type { ReactNode } from "react";

/** A hop's name and the question that it answers. */
export function HopHead({ title, question, children }: { title: string; question: string; children?: ReactNode }) {
  return (
    <Box sx={{ display: "flex", alignItems: "flex-start", gap: 2, mb: 1.5 }}>
      <div>
        <Typography variant="h1">{title}</Typography>
        <Typography sx={{ color: "text.secondary" }}>{question}</Typography>
      </div>
      <Box sx={{ ml: "auto", whiteSpace: "nowrap" }}>{children}</Box>
    </Box>
  );
}
