import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { api, taken } from "../../api/client";
import type { Recording } from "../../api/types";
import { FileRow, HandIn } from "../../craft/HandIn";
import { RoomUsed } from "../../craft/RoomUsed";
import { HopHead } from "../../look/HopHead";
import { Problem } from "../../look/Problem";
import { MOST_MB } from "../../look/uploadFile";

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
  const list = useQuery({
    queryKey: ["recordings", craftId],
    refetchOnMount: "always", // others hand in and throw away, and the bench and taps make some too
    queryFn: () => taken<Recording[]>(api.GET("/api/crafts/{craft_id}/recordings", { params: { path: { craft_id: craftId } } })),
  });
  const again = () => {
    void queries.invalidateQueries({ queryKey: ["room", workshopId] });
    return queries.invalidateQueries({ queryKey: ["recordings", craftId] });
  };
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
      <HandIn<Recording>
        url={`/api/crafts/${craftId}/recordings`}
        accept=".vcd,.csv,.bin"
        label="Choose a file"
        testId="capture-file"
        onMade={(made) => {
          void again();
          onOpen(made);
        }}
      >
        or drop it here: a logic analyser's .vcd, a table .csv of time_s,level, or raw bytes .bin, up to {MOST_MB} MB
      </HandIn>
      <RoomUsed workshopId={workshopId} />
      <Problem text={(drop.error ?? list.error)?.message ?? ""} />
      <Box component="ul" aria-label="Recordings" sx={{ listStyle: "none", p: 0, mt: 2 }}>
        {list.data?.length === 0 && (
          <li>No recording yet. Keep the last seconds of the live line, listen to a serial line, or hand in a file.</li>
        )}
        {list.data?.map((each) => (
          <FileRow
            key={each.id}
            file={each}
            from={`${each.what && each.what !== "unknown" ? `${each.what}, ` : ""}from ${WHERE[each.heard_from]}`}
            onOpen={() => onOpen(each)}
            onRemove={() => drop.mutate(each.id)}
          />
        ))}
      </Box>
    </>
  );
}
