import "@mantine/core/styles.css";
import "@mantine/notifications/styles.css";
import "@fontsource-variable/inter/wght.css";
import "./look/look.css";
import { MantineProvider } from "@mantine/core";
import { Notifications } from "@mantine/notifications";
import { QueryClient, QueryClientProvider } from "@tanstack/react-query";
import { RouterProvider } from "@tanstack/react-router";
import { StrictMode } from "react";
import { createRoot } from "react-dom/client";
import { theme } from "./look/theme";
import { router } from "./router";

// The service is often on this machine or its own network: whether the browser thinks it is online says nothing about it.
const client = new QueryClient({
  defaultOptions: {
    queries: { staleTime: 1000, retry: 1, networkMode: "always" },
    mutations: { networkMode: "always" },
  },
});
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
