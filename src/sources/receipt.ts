/** One file as it was received: what the ledger keeps of it. No secret ever stands in it. */
export interface Receipt {
  kind: 'file';
  /** `boundary-office/wards` */
  what: string;
  /** Datasets of the study that it belongs to. */
  datasets: string[];
  /** What it is for: data, or what explains them. */
  role: 'data' | 'structure';
  /** Path in the study folder. */
  path: string;
  /** Address without secrets. */
  url: string;
  /** When it was received, ISO 8601. */
  at: string;
  bytes: number;
  sha256: string;
  etag?: string;
  lastModified?: string;
  /** Address of the page that follows, for services that page. */
  next?: string;
  /** Features or rows in it, where they were counted. */
  features?: number;
  /** Features in all that the service announced with it. */
  matched?: number;
  /** CRS of its coordinates as the service said it, where the file itself does not. */
  crs?: string;
  licence?: string;
  citation?: string;
}
