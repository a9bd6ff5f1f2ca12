import { page } from "./main.js";

export default () => page("Lazy", "fetched when it was needed");
