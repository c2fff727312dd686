import "@fontsource-variable/archivo";
import { QueryClientProvider } from "@tanstack/react-query";
import { StrictMode } from "react";
import { createRoot } from "react-dom/client";
import { App } from "./App";
import { queries } from "./api/queries";
import { Boundary } from "./ui/Boundary";

const root = document.getElementById("root");
if (root) {
  createRoot(root).render(
    <StrictMode>
      <QueryClientProvider client={queries}>
        <Boundary what="Able Brick" alone>
          <App />
        </Boundary>
      </QueryClientProvider>
    </StrictMode>,
  );
}
