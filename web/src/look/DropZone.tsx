import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import { type ReactNode, useRef } from "react";
import { colours } from "./colours";

/** A place to choose a file, or to drop one. */
export function DropZone({
  accept,
  label,
  testId,
  disabled = false,
  onFile,
  children,
}: {
  accept: string;
  label: string;
  testId: string;
  disabled?: boolean;
  onFile: (file: File) => void;
  children: ReactNode;
}) {
  const picker = useRef<HTMLInputElement>(null);
  const take = (file: File | undefined | null) => {
    if (file && !disabled) onFile(file);
  };
  return (
    <Box
      onDragOver={(event) => event.preventDefault()}
      onDrop={(event) => {
        event.preventDefault();
        take(event.dataTransfer.files[0]);
      }}
      sx={{
        border: `1px dashed ${colours.tarnish}`,
        borderRadius: 1.25,
        p: 2,
        display: "flex",
        alignItems: "center",
        gap: 2,
        bgcolor: "background.paper",
      }}
    >
      <input
        ref={picker}
        type="file"
        accept={accept}
        hidden
        data-testid={testId}
        onChange={(event) => {
          take(event.target.files?.[0]);
          event.target.value = "";
        }}
      />
      <Button variant="contained" sx={{ flexShrink: 0, whiteSpace: "nowrap" }} disabled={disabled} onClick={() => picker.current?.click()}>
        {label}
      </Button>
      {children}
    </Box>
  );
}
