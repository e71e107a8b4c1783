import { QueryClient, QueryClientProvider } from "@tanstack/react-query";
import { StrictMode } from "react";
import { createRoot } from "react-dom/client";
import { BrowserRouter } from "react-router";
import { App } from "./App";
import { Problem } from "./api/client";
import "./app.css";
import { applyScheme } from "./scheme";

applyScheme();

// A tab that was open while Rennbahn was upgraded asks for scripts that are gone: it loads itself anew, once.
window.addEventListener("vite:preloadError", (event) => {
  const tried = Number(sessionStorage.getItem("loaded anew") ?? 0);
  if (Date.now() - tried < 60_000) return;
  sessionStorage.setItem("loaded anew", String(Date.now()));
  event.preventDefault();
  window.location.reload();
});

const queries = new QueryClient({
  defaultOptions: {
    queries: {
      staleTime: 5_000,
      // Whether there is a network is found out by asking: what the browser believes of it is not always so.
      networkMode: "always",
      // What the server refused it will refuse again; only a server that is away is asked once more.
      retry: (failures, error) =>
        failures < 3 && error instanceof Problem && (error.status === 0 || error.status === 503),
      retryDelay: 1_000,
    },
    mutations: { networkMode: "always" },
  },
});

const root = document.getElementById("root");
if (root) {
  createRoot(root).render(
    <StrictMode>
      <QueryClientProvider client={queries}>
        <BrowserRouter>
          <App />
        </BrowserRouter>
      </QueryClientProvider>
    </StrictMode>,
  );
}
