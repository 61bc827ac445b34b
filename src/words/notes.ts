/** The note of release 0, as it stands in its waybill. */
export const RELEASE_ZERO_NOTE = "objects of others that stood where this tool has written";
