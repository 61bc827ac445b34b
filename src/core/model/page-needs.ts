/**
 * What a site's pages load and run, by the directive of a content security policy that is asked about it: sources as a policy
 * names them (CSP Level 3 §2.3.1), the site's own left out. Sorted.
 */
export type PageNeeds = Readonly<Record<string, readonly string[]>>;
