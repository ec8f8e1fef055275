import Box from "@mui/material/Box";
import { useQuery } from "@tanstack/react-query";
import { api, taken } from "../api/client";
import { colours } from "../look/colours";

const MB = 1 << 20;
const NEARLY_FULL = 0.9;

/** How much of what a workshop may keep is taken. */
export function RoomUsed({ workshopId }: { workshopId: number }) {
  const room = useQuery({
    queryKey: ["room", workshopId],
    refetchOnMount: "always", // recordings and images come and go
    queryFn: () => taken(api.GET("/api/workshops/{workshop_id}/room", { params: { path: { workshop_id: workshopId } } })),
  });
  if (!room.data) return null;
  const { used_bytes: used, quota_bytes: quota } = room.data;
  const nearly = used > NEARLY_FULL * quota;
  return (
    <Box sx={{ mt: 1, fontSize: 13, color: nearly ? colours.copperText : "text.secondary", fontWeight: nearly ? 600 : 400 }}>
      The workshop's recordings and images take {(used / MB).toFixed(used < 10 * MB ? 1 : 0)} of{" "}
      {Math.round(quota / MB).toLocaleString("en")} MB{nearly && "; remove what nobody needs"}.
    </Box>
  );
}
