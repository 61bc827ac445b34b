/** A refusal in the protocol's own words. */
export class ProtocolError extends Error {
  constructor(
    readonly status: number,
    readonly code: string,
    message: string,
    readonly extra: Readonly<Record<string, string>> = {},
  ) {
    super(message);
  }
}

export const noSuchKey = (key: string): ProtocolError =>
  new ProtocolError(404, "NoSuchKey", "The specified key does not exist.", { Key: key });
export const noSuchBucket = (bucket: string): ProtocolError =>
  new ProtocolError(404, "NoSuchBucket", "The specified bucket does not exist.", { BucketName: bucket });
export const preconditionFailed = (condition: string): ProtocolError =>
  new ProtocolError(
    412,
    "PreconditionFailed",
    "At least one of the pre-conditions you specified did not hold",
    { Condition: condition },
  );
