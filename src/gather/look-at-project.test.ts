import { temporaryFolder, writeFiles } from "../../test/support/builds.ts";
import { lookAtProject } from "./look-at-project.ts";

const look = (files: Record<string, string>) => lookAtProject(writeFiles(temporaryFolder("project"), files));

test("folders with a page are found, three levels down at most, and none within another, in sources or in packages", () => {
  const pages = ["dist/a/index.html", "dist/index.html", "a/b/c/index.html", "a/b/c/d/index.html", "x/y/z/w/index.html", "src/index.html", "node_modules/m/index.html"]; // prettier-ignore
  const found = look(Object.fromEntries(pages.map((page) => [page, ""])));
  expect(found.pageFolders).toEqual(["a/b/c", "dist"]);
  expect(found.names).toEqual(["a", "dist", "node_modules", "src", "x"]);
  expect(look({ "index.html": "", "site/index.html": "" }).pageFolders).toEqual([".", "site"]);
});

test("what a package, a page and a repository say of a site's name", () => {
  const found = look({
    "package.json": JSON.stringify({ name: "@pelican/sound", homepage: "https://www.pelicansound.example" }),
    "dist/index.html": "<!doctype html><TITLE> Timetables </TITLE>",
    ".git/config": '[remote "other"]\n\turl = http://127.0.0.1/not-this\n[remote "origin"]\n\tfetch = x\n\turl = git@127.0.0.1:boats/tide-tables.git\n',
  }); // prettier-ignore
  expect(found).toMatchObject({
    ...{ packageName: "@pelican/sound", homepage: "https://www.pelicansound.example" },
    ...{ repository: "tide-tables", title: "Timetables" },
  });
  const none = { packageName: undefined, homepage: undefined, repository: undefined, title: undefined };
  for (const text of ["", "{", "null", '{"name":1,"homepage":[]}'])
    expect(look({ "package.json": text, ".git/config": "[core]\n" })).toMatchObject(none);
  expect(look({})).toMatchObject({ ...none, names: [], pageFolders: [] });
});

test.each([
  ["an empty page and a script", "<title>x</title><body><div id=app></div><noscript>No</noscript><script src=a></script>", {}, true],
  ["text of its own", "<body><p>Boats</p><script src=a></script>", {}, false],
  ["nothing at all", "<body><div></div>", {}, false],
  ["another page beside it", "<body><script src=a></script>", { "html/fares.html": "" }, false],
])("a page with %s is made by scripts: %s", (_, page, more, isMade) => {
  expect(look({ "html/index.html": page, "html/404.html": "", ...more }).isMadeByScripts).toBe(isMade);
}); // prettier-ignore

test.each([
  ["CNAME", "www.pelicansound.example\n", "https://www.pelicansound.example"],
  ["public/CNAME", "www.pelicansound.example", "https://www.pelicansound.example"],
  ["static/CNAME", "www.pelicansound.example", "https://www.pelicansound.example"],
  ["html/CNAME", "www.pelicansound.example", "https://www.pelicansound.example"],
  ["CNAME", "not a domain", undefined],
  ["CNAME", "localhost", undefined],
])("%s that says %j: the site is at %s", (file, text, homepage) => {
  expect(look({ [file]: text, "html/index.html": "" }).homepage).toBe(homepage);
});
