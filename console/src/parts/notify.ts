import { notifications } from "@mantine/notifications";
import { ApiError } from "../api/client";
import { visible } from "../words/visible";

export function notifySuccess(message: string) {
  notifications.show({ message: visible(message), color: "sound", closeButtonProps: { "aria-label": "Close" } });
}

export function notifyFailure(error: Error) {
  notifications.show({
    title: visible(error.message),
    message: error instanceof ApiError ? visible(error.remedy ?? "") : undefined,
    color: "red",
    autoClose: 10_000,
    closeButtonProps: { "aria-label": "Close" },
  });
}
