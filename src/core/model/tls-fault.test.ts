import { findTlsFault } from "./tls-fault.ts";

const EPROTO = (words: string): Error =>
  Object.assign(new Error(`write EPROTO 80AC:error:0A00042E:SSL routines:ssl3_read_bytes:${words}:../ssl/record.c`), { code: "EPROTO" }); // prettier-ignore

test.each([
  [{ code: "CERT_HAS_EXPIRED" }, "expired"],
  [{ code: "ERR_TLS_CERT_ALTNAME_INVALID" }, "other-name"],
  [{ code: "SELF_SIGNED_CERT_IN_CHAIN" }, "unknown-issuer"],
  [new Error("wrapped: DEPTH_ZERO_SELF_SIGNED_CERT"), "self-signed"],
  [new Error("fetch failed", { cause: { code: "x" } }), undefined],
  [new Error("fetch failed", { cause: EPROTO("tlsv1 alert protocol version") }), "old-protocol"],
  [EPROTO("wrong version number"), "no-tls"],
  [EPROTO("sslv3 alert handshake failure"), "other"],
  [{ code: "ERR_SSL_SSLV3_ALERT_HANDSHAKE_FAILURE" }, "other"],
  [{ code: "ECONNREFUSED", message: "connect ECONNREFUSED 127.0.0.1:443" }, undefined],
  [{ code: "ENOTFOUND", message: "getaddrinfo ENOTFOUND cert.example" }, undefined],
])("%j is of the safe connection: %s", (error, fault) => {
  expect(findTlsFault(error)).toBe(fault);
});
