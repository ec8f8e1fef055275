import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useRef, useState } from "react";
import { api, taken } from "../../api/client";
import type { Recording } from "../../api/types";
import { RoomUsed } from "../../craft/RoomUsed";
import { DropZone } from "../../look/DropZone";
import { HopHead } from "../../look/HopHead";
import { Problem } from "../../look/Problem";
import { columns } from "../../look/phone";
import { MOST_MB, uploadFile } from "../../look/uploadFile";

export const sized = (bytes: number) =>
  bytes < 1 << 20 ? `${Math.max(1, Math.round(bytes / 1024))} kB` : `${(bytes / (1 << 20)).toFixed(1)} MB`;
const WHERE = { file: "a file", "stand-in": "the stand-in", serial: "a serial line" } as const;

/** The recordings of a craft, and the way to hand in another one. */
export function Recordings({
  craftId,
  workshopId,
  onOpen,
  onBack,
}: {
  craftId: string;
  workshopId: number;
  onOpen: (recording: Recording) => void;
  onBack: () => void;
}) {
  const queries = useQueryClient();
  const [share, setShare] = useState(0);
  const running = useRef<(() => void) | null>(null);
  const list = useQuery({
    queryKey: ["recordings", craftId],
    refetchOnMount: "always", // others hand in and throw away, and the bench and taps make some too
    queryFn: () => taken<Recording[]>(api.GET("/api/crafts/{craft_id}/recordings", { params: { path: { craft_id: craftId } } })),
  });
  const again = () => {
    void queries.invalidateQueries({ queryKey: ["room", workshopId] });
    return queries.invalidateQueries({ queryKey: ["recordings", craftId] });
  };
  const hand = useMutation({
    mutationFn: (file: File) => {
      setShare(0);
      const { done, stop } = uploadFile<Recording>(`/api/crafts/${craftId}/recordings`, file, setShare);
      running.current = stop;
      return done;
    },
    onSuccess: (made) => {
      void again();
      onOpen(made);
    },
  });
  const drop = useMutation({
    mutationFn: (id: string) => taken(api.DELETE("/api/recordings/{recording_id}", { params: { path: { recording_id: id } } })),
    onSuccess: again,
  });
  return (
    <>
      <HopHead title="Line" question="Which recording do you want to open?">
        <Button variant="outlined" onClick={onBack}>
          Back to the live line
        </Button>
      </HopHead>
      <DropZone accept=".vcd,.csv,.bin" label="Choose a file" testId="capture-file" onFile={(file) => hand.mutate(file)}>
        <span>or drop it here: a logic analyser's .vcd, a table .csv of time_s,level, or raw bytes .bin, up to {MOST_MB} MB</span>
        {hand.isPending && (
          <>
            <span role="status">{share < 1 ? `sending, ${Math.round(share * 100)} %` : "storing…"}</span>
            <Button variant="outlined" onClick={() => running.current?.()}>
              Stop
            </Button>
          </>
        )}
      </DropZone>
      <RoomUsed workshopId={workshopId} />
      <Problem text={(hand.error ?? drop.error ?? list.error)?.message ?? ""} />
      <Box component="ul" aria-label="Recordings" sx={{ listStyle: "none", p: 0, mt: 2 }}>
        {list.data?.length === 0 && (
          <li>No recording yet. Keep the last seconds of the live line, listen to a serial line, or hand in a file.</li>
        )}
        {list.data?.map((each) => (
          <Box
            component="li"
            key={each.id}
            sx={{
              display: "grid",
              gridTemplateColumns: columns("minmax(0, 250px) minmax(0, 1fr) auto auto"),
              gap: { xs: 0.25, md: 1.5 },
              alignItems: "center",
              justifyItems: "start",
              py: 0.75,
              borderBottom: 1,
              borderColor: "divider",
            }}
          >
            <Button variant="text" title={each.name} onClick={() => onOpen(each)} sx={{ fontWeight: 600, justifyContent: "start" }}>
              <Box component="span" sx={{ overflow: "hidden", textOverflow: "ellipsis", whiteSpace: "nowrap" }}>
                {each.name}
              </Box>
            </Button>
            <span>
              {each.what && each.what !== "unknown" ? `${each.what}, ` : ""}from {WHERE[each.heard_from]}, {sized(each.size)},{" "}
              {new Date(each.made_at).toLocaleString([], { dateStyle: "medium", timeStyle: "short" })}
              {each.made_by ? `, ${each.made_by}` : ""}
            </span>
            <Box
              component="span"
              sx={{ color: "text.secondary", fontSize: 12.5 }}
              title={each.kept ? "" : "Deleted after a day unless it is kept: open it to keep it with the craft"}
            >
              {each.kept ? "kept with the craft" : "deleted after a day"}
            </Box>
            <Button variant="text" aria-label={`Remove ${each.name}`} onClick={() => drop.mutate(each.id)} sx={{ whiteSpace: "nowrap" }}>
              Remove
            </Button>
          </Box>
        ))}
      </Box>
    </>
  );
}
