import "./look/components.css";
import "@fontsource-variable/inter/wght.css";
import "./look/look.css";
import { MantineProvider } from "@mantine/core";
import { Notifications } from "@mantine/notifications";
import { MutationCache, QueryCache, QueryClient, QueryClientProvider } from "@tanstack/react-query";
import { RouterProvider } from "@tanstack/react-router";
import { StrictMode } from "react";
import { createRoot } from "react-dom/client";
import { ApiError } from "./api/client";
import { sessionQuery } from "./api/queries";
import { theme } from "./look/theme";
import { router } from "./router";

// The service may run on this machine or on a local network, so requests are sent even if the browser reports that it is offline.
const client = new QueryClient({
  queryCache: new QueryCache({ onError: askWhoIsSignedIn }),
  mutationCache: new MutationCache({ onError: askWhoIsSignedIn }),
  defaultOptions: {
    queries: {
      staleTime: 1000,
      retry: (failures, error) => failures < 1 && !(error instanceof ApiError && error.status === 401),
      networkMode: "always",
    },
    mutations: { networkMode: "always" },
  },
});

/** If the session ends while a page is open, the sign-in page is shown, and the same page opens again afterwards. */
function askWhoIsSignedIn(error: Error) {
  const { queryKey } = sessionQuery;
  if (error instanceof ApiError && error.status === 401 && client.getQueryData(queryKey) !== undefined)
    void client.resetQueries({ queryKey });
}

const nonce = document.querySelector<HTMLMetaElement>('meta[name="csp-nonce"]')?.content ?? "";

createRoot(document.getElementById("root") as HTMLElement).render(
  <StrictMode>
    <MantineProvider theme={theme} defaultColorScheme="auto" getStyleNonce={() => nonce}>
      <QueryClientProvider client={client}>
        <Notifications position="bottom-right" />
        <RouterProvider router={router} />
      </QueryClientProvider>
    </MantineProvider>
  </StrictMode>,
);
