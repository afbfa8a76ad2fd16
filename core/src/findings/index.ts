export type { Finding, SiteNode, SitePlanned, SiteSheet } from './finding';
export { siteFindings } from './findings';
