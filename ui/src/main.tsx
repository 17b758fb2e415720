import "./styles.css";
import { QueryClient, QueryClientProvider } from "@tanstack/react-query";
import { RouterProvider } from "@tanstack/react-router";
import { StrictMode } from "react";
import { createRoot } from "react-dom/client";
import { Refused } from "./api/client";
import { router } from "./router";

// What the server refused it would refuse again.
const client = new QueryClient({
  defaultOptions: {
    queries: { retry: (failures, error) => !(error instanceof Refused) && failures < 1, staleTime: 1000 },
  },
});

const root = document.getElementById("root");
if (root) {
  createRoot(root).render(
    <StrictMode>
      <QueryClientProvider client={client}>
        <RouterProvider router={router} />
      </QueryClientProvider>
    </StrictMode>,
  );
}
