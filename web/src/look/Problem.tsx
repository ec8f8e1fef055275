import Box from "@mui/material/Box";
import { colours } from "./colours";

/** What went wrong, where it went wrong. */
export function Problem({ text }: { text: string }) {
  return text ? (
    <Box role="alert" sx={{ color: colours.oxide, fontSize: 13.5, mt: 1 }}>
      {text}
    </Box>
  ) : null;
}
