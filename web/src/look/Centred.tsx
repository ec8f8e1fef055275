import Box from "@mui/material/Box";
import type { ReactNode } from "react";

/** One message in the middle of an otherwise empty page. */
export function Centred({ children }: { children: ReactNode }) {
  return (
    <Box component="main" sx={{ minHeight: "100vh", display: "grid", placeItems: "center", p: 4, textAlign: "center" }}>
      <div>{children}</div>
    </Box>
  );
}
