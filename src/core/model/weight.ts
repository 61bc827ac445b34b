/** What a file weighs as sent by an edge that compresses, in bytes. */
export interface Weight {
  readonly gzip: number;
  readonly brotli: number;
}
