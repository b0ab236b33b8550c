import { notifications } from "@mantine/notifications";
import { ApiError } from "../api/client";

export function notifySuccess(message: string) {
  notifications.show({ message, color: "sound", closeButtonProps: { "aria-label": "Close" } });
}

export function notifyFailure(error: Error) {
  notifications.show({
    title: error.message,
    message: error instanceof ApiError ? error.remedy : undefined,
    color: "red",
    autoClose: 10_000,
    closeButtonProps: { "aria-label": "Close" },
  });
}
