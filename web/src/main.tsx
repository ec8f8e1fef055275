import "@fontsource-variable/figtree";
import "@fontsource-variable/fraunces";
import "@fontsource/ibm-plex-mono/400.css";
import "@fontsource/ibm-plex-mono/500.css";
import CssBaseline from "@mui/material/CssBaseline";
import { ThemeProvider } from "@mui/material/styles";
import { QueryClient, QueryClientProvider } from "@tanstack/react-query";
import { StrictMode } from "react";
import { createRoot } from "react-dom/client";
import { App } from "./App";
import { Problem } from "./api/client";
import { useMode } from "./look/mode";
import { THEMES } from "./look/theme";

const queries = new QueryClient({
  defaultOptions: {
    queries: { retry: (count, error) => count < 2 && !(error instanceof Problem && error.status >= 400), staleTime: 2000 },
  },
});

/** The app by day or by night; what is drawn on a canvas is drawn anew when that changes. */
function InItsMode() {
  const mode = useMode((state) => state.mode);
  return (
    <ThemeProvider theme={THEMES[mode]}>
      <CssBaseline />
      <App key={mode} />
    </ThemeProvider>
  );
}

const root = document.getElementById("root");
if (root) {
  createRoot(root).render(
    <StrictMode>
      <QueryClientProvider client={queries}>
        <InItsMode />
      </QueryClientProvider>
    </StrictMode>,
  );
}
