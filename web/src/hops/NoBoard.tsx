import Box from "@mui/material/Box";
import { Link } from "react-router";

/** A hop that needs a board, and the way to one. */
export function NoBoard({ craftId, to }: { craftId: string; to: string }) {
  return (
    <Box sx={{ mt: 4, textAlign: "center" }}>
      There is no board to {to} yet. <Link to={`/crafts/${craftId}/kit`}>Choose one in the Kit</Link>.
    </Box>
  );
}
