import { Fragment, jsxDEV as make } from "react/jsx-dev-runtime";
import { shown } from "./shown";

export type { JSX } from "react/jsx-dev-runtime";
export { Fragment };

export const jsxDEV: typeof make = (type, props, ...rest) => make(type, shown(type, props as never), ...rest);
