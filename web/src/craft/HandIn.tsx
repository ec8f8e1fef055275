import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import { useMutation } from "@tanstack/react-query";
import { type ReactNode, useRef, useState } from "react";
import { DropZone } from "../look/DropZone";
import { Problem } from "../look/Problem";
import { columns } from "../look/phone";
import { uploadFile } from "../look/uploadFile";

/** Hand a file in for a craft: how far it is stands beside it, and it can be stopped. */
export function HandIn<T>({
  url,
  accept,
  label,
  testId,
  onMade,
  children,
}: {
  url: string;
  accept: string;
  label: string;
  testId: string;
  onMade: (made: T) => void;
  children: ReactNode;
}) {
  const [share, setShare] = useState(0);
  const running = useRef<(() => void) | null>(null);
  const hand = useMutation({
    mutationFn: (file: File) => {
      setShare(0);
      const { done, stop } = uploadFile<T>(url, file, setShare);
      running.current = stop;
      return done;
    },
    onSuccess: onMade,
  });
  return (
    <>
      <DropZone accept={accept} label={label} testId={testId} onFile={(file) => hand.mutate(file)}>
        <span>{children}</span>
        {hand.isPending && (
          <>
            <span role="status">{share < 1 ? `sending, ${Math.round(share * 100)} %` : "storing…"}</span>
            <Button variant="outlined" onClick={() => running.current?.()}>
              Stop
            </Button>
          </>
        )}
      </DropZone>
      <Problem text={hand.error?.message ?? ""} />
    </>
  );
}

const sized = (bytes: number) => (bytes < 1 << 20 ? `${Math.max(1, Math.round(bytes / 1024))} kB` : `${(bytes / (1 << 20)).toFixed(1)} MB`);

/** A file of a craft in a list: what it is, where from, how large, whether it stays. */
export function FileRow({
  file,
  from,
  onOpen,
  onRemove,
}: {
  file: { name: string; size: number; kept: boolean; made_at: string; made_by: string | null };
  from: string;
  onOpen: () => void;
  onRemove: () => void;
}) {
  return (
    <Box
      component="li"
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
      <Button variant="text" title={file.name} onClick={onOpen} sx={{ fontWeight: 600, justifyContent: "start" }}>
        <Box component="span" sx={{ overflow: "hidden", textOverflow: "ellipsis", whiteSpace: "nowrap" }}>
          {file.name}
        </Box>
      </Button>
      <span>
        {from}, {sized(file.size)}, {new Date(file.made_at).toLocaleString([], { dateStyle: "medium", timeStyle: "short" })}
        {file.made_by ? `, ${file.made_by}` : ""}
      </span>
      <Box
        component="span"
        sx={{ color: "text.secondary", fontSize: 12.5 }}
        title={file.kept ? "" : "Deleted after a day unless it is kept: open it to keep it with the craft"}
      >
        {file.kept ? "kept with the craft" : "deleted after a day"}
      </Box>
      <Button variant="text" aria-label={`Remove ${file.name}`} onClick={onRemove} sx={{ whiteSpace: "nowrap" }}>
        Remove
      </Button>
    </Box>
  );
}
