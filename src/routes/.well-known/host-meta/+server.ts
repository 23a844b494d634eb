/** RFC 8040 section 3.1: where RESTCONF is. */
export const GET = () =>
	new Response(
		`<XRD xmlns='http://docs.oasis-open.org/ns/xri/xrd-1.0'>\n  <Link rel='restconf' href='/restconf'/>\n</XRD>\n`,
		{ headers: { 'content-type': 'application/xrd+xml' } }
	);
