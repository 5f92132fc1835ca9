import { QueryClient, QueryClientProvider } from "@tanstack/react-query";
import { StrictMode } from "react";
import { createRoot } from "react-dom/client";
import { RouterProvider } from "react-router";
import { Toaster } from "sonner";
import { ProblemError } from "./api/client";
import { router } from "./app/router";
import "./index.css";

const queries = new QueryClient({
  defaultOptions: {
    queries: {
      staleTime: 5_000,
      // A problem that the server describes does not go away by asking again.
      retry: (count, error) => !(error instanceof ProblemError) && count < 2,
    },
  },
});

const root = document.getElementById("root");
if (root) {
  createRoot(root).render(
    <StrictMode>
      <QueryClientProvider client={queries}>
        <RouterProvider router={router} />
        {/* Above the footer, whose figures it must not cover. */}
        <Toaster
          position="bottom-center"
          theme="system"
          offset={64}
          toastOptions={{ style: { fontFamily: "var(--font-sans)" } }}
        />
      </QueryClientProvider>
    </StrictMode>,
  );
}
