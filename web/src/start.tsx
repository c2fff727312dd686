import "@fontsource-variable/archivo";
import { QueryClient, QueryClientProvider } from "@tanstack/react-query";
import { StrictMode } from "react";
import { createRoot } from "react-dom/client";
import { App } from "./App";
import { GlobalStyle } from "./theme/tokens";
import { askForShaders } from "./viewport/renderer";

askForShaders();
const queries = new QueryClient({ defaultOptions: { queries: { refetchOnWindowFocus: false, retry: 2 } } });
const root = document.getElementById("root");
if (root) {
  createRoot(root).render(
    <StrictMode>
      <QueryClientProvider client={queries}>
        <GlobalStyle />
        <App />
      </QueryClientProvider>
    </StrictMode>,
  );
}
