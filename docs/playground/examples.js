// Tables to begin with. An address that ends with `#` and an `id` begins with that one.

import routes from "../../demo/larkfell/routes.toml";
import about from "../../demo/larkfell/about.toml";
import first from "../../crates/vivid-lane-cli/src/commands/init/routes.toml";
import mistakes from "./examples/mistakes.toml";
import surprises from "./examples/surprises.toml";

const one = (text) => ({ files: { "routes.toml": text }, main: "routes.toml", visitor: {} });

export const EXAMPLES = [
  { id: "first", name: "A first table", ...one(first), urls: ["/nights", "/nights/2031-04-02", "/nights/2031-02-30", "/nihgts"] },
  {
    id: "larkfell",
    name: "Larkfell Observatory",
    files: { "routes.toml": routes, "about.toml": about },
    main: "routes.toml",
    visitor: { lists: "observers = ada grace" },
    urls: ["/nights/2031-04-02", "/objects/tonight", "/observers/ada/logbook/2031", "//nights/", "/nihgts/2031-04-02"],
  },
  { id: "mistakes", name: "Mistakes of a first draft", ...one(mistakes), urls: ["/nights", "/objects/7"] },
  {
    id: "surprises",
    name: "Surprises that are found",
    ...one(surprises),
    urls: ["/domes/north", "/domes/west", "/talks/next", "/Talks/next"],
  },
];
