import Box from "@mui/material/Box";
import MenuItem from "@mui/material/MenuItem";
import type { Part } from "../api/types";
import { inShort } from "./facts";

/** Parts as the entries of a select, each with what tells it from its neighbours. */
export function partItems(parts: Part[]) {
  return parts.map((each) => (
    <MenuItem key={each.id} value={each.id}>
      {each.name}
      <Box component="span" sx={{ color: "text.secondary", ml: 1, fontSize: 12.5 }}>
        {inShort(each)}
      </Box>
    </MenuItem>
  ));
}
