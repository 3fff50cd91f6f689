import { CssBaseline, ThemeProvider } from "@mui/material";
import { QueryClient, QueryClientProvider } from "@tanstack/react-query";
import { StrictMode, useEffect, useMemo, useState } from "react";
import { createRoot } from "react-dom/client";
import "./theme/base.css";
import { App } from "./screens/App";
import { loadRegistries } from "./state/registries";
import { theStage } from "./state/stage";
import { makeTheme } from "./theme/theme";
import type { Mode } from "./theme/theme";

const client = new QueryClient({ defaultOptions: { queries: { retry: false, refetchOnWindowFocus: false } } });

function Root() {
  const [mode, setMode] = useState<Mode>(() => (localStorage.getItem("ruvelt-mode") === "light" ? "light" : "dark"));
  const theme = useMemo(() => makeTheme(mode), [mode]);
  useEffect(() => {
    document.documentElement.dataset.mode = mode;
    localStorage.setItem("ruvelt-mode", mode);
    theStage()?.setTheme(mode === "dark");
  }, [mode]);
  useEffect(() => void loadRegistries(), []);
  return (
    <ThemeProvider theme={theme}>
      <CssBaseline />
      <App onMode={() => setMode(mode === "dark" ? "light" : "dark")} />
    </ThemeProvider>
  );
}

const root = document.getElementById("root");
if (root) {
  createRoot(root).render(
    <StrictMode>
      <QueryClientProvider client={client}>
        <Root />
      </QueryClientProvider>
    </StrictMode>,
  );
}
