/** The words of this tool, each with one meaning, for those who use it: `rcourier help words`, docs/glossary.md. */
export const GLOSSARY: readonly (readonly [word: string, meaning: string])[] = [
  [
    "address",
    "what a visitor types or a page links to, from the first slash on: /news/. One file can answer at several addresses",
  ],
  ["alias", "an extra copy of a page, so that a second address answers too: /news/ beside /news/index.html"],
  [
    "build",
    "the folder (or archive) of static files that your build tool has written. This tool only reads it",
  ],
  [
    "destination",
    "a named place in courier.yaml to which the site is delivered: a store, an edge if there is one, and a public address",
  ],
  [
    "drifted",
    "somebody has changed a delivered file in the store without this tool; missing: has removed it",
  ],
  [
    "edge",
    "your CDN or cache, between visitors and the store. It keeps copies, and forgets them when it is asked to",
  ],
  [
    "fingerprinted",
    "the name of the file has a hash of its content in it. So the content under that name never changes, and browsers may keep it for a year",
  ],
  ["foreign", "an object at the destination that was not delivered by this tool. It is left alone"],
  ["freshness", "how long a browser or the edge may use a copy before it must ask again"],
  [
    "guard",
    "a check before the first write that stops a delivery which looks like a mistake. --allow CODE lifts one",
  ],
  [
    "hold",
    "the lock on a destination while one run works there, so that no two runs write at once. It expires if its run dies",
  ],
  [
    "kept for open tabs",
    "an old script or style that stays, because visitors may still have an old page open",
  ],
  ["mend", "what to do about a fault. Every diagnosis ends with it"],
  [
    "not confirmed",
    "the edge was asked to forget some addresses and has not confirmed it yet. Visitors may get old copies of them until it does (owed in JSON)",
  ],
  [
    "pattern",
    "what an edge is asked to forget: one address, or everything that begins so (/news/*). A pattern may cover copies that are still correct (collateral in JSON)",
  ],
  ["preview", "a build at an address of its own, to look at before it is live. It expires"],
  [
    "records",
    "what the tool writes about its own work, below .courier/. Visitors must not be able to read it",
  ],
  ["redeliver", "to put an earlier release back, by copying inside the store. It makes a new release number"],
  [
    "release",
    "one complete delivered state of the site, with a number. It can be put back for as long as the setting retain says",
  ],
  [
    "release 0",
    "objects of somebody else that this tool has overwritten, after asking. They can be put back, too",
  ],
  [
    "role",
    "what kind of file it is (page, entry, asset, fingerprinted, worker, document, not-found page). It decides the cache headers and when the file is written",
  ],
  ["sandbox", "a simulated store and edge on this machine, to practise and test on"],
  ["settings", "courier.yaml: the site, its build, and its destinations"],
  ["store", "where the files are kept: a bucket of object storage, or a folder that a web server reads"],
  ["vault", "where the store keeps old versions of files, so that an earlier release can be put back"],
  [
    "worker",
    "a file that browsers request again and again under a fixed name: service workers, manifests, version files. They are written last",
  ],
];
