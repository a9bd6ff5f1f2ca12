export * from "./table.js";
