/** How this tool names itself to whom it asks over HTTP (`User-Agent`, RFC 9110 §10.1.5): `traffic` knows its own requests by it. */
export const OWN_NAME = "restless-courier";
