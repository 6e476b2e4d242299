export * from "idb";
