import { QueryClient, QueryClientProvider } from "@tanstack/react-query";
import { RouterProvider } from "react-router/dom";
import { Refusal } from "../api/client";
import { router } from "./routes";

const client = new QueryClient({
  defaultOptions: {
    mutations: { networkMode: "always" }, // what cannot be sent is refused at once, and waits in a queue of ours
    queries: {
      networkMode: "always", // without a signal this device's copy answers
      staleTime: 30_000,
      refetchOnWindowFocus: true,
      retry: (count, error) => !(error instanceof Refusal) && count < 2,
    },
  },
});

export function Providers() {
  return (
    <QueryClientProvider client={client}>
      <RouterProvider router={router} />
    </QueryClientProvider>
  );
}
