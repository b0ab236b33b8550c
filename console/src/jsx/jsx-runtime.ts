import { Fragment, jsxs as makeMany, jsx as makeOne } from "react/jsx-runtime";
import { shown } from "./shown";

export type { JSX } from "react/jsx-runtime";
export { Fragment };

export const jsx: typeof makeOne = (type, props, key) => makeOne(type, shown(type, props as never), key);
export const jsxs: typeof makeMany = (type, props, key) => makeMany(type, shown(type, props as never), key);
