/** What the yard's plain pages share. */
export const PAGE_STYLE =
	'<style>body{font:16px/1.5 monospace;background:#e9ecec;color:#222;max-width:50rem;margin:2rem auto;padding:0 1rem}article{background:#fff;border:1px solid #999;margin:0 0 1rem;padding:1rem;white-space:pre-wrap;overflow-wrap:anywhere}h2{font-size:1rem;margin:0}</style>';

export const escape = (text: string): string =>
	text.replace(
		/[&<>"]/g,
		(character) => ({ '&': '&amp;', '<': '&lt;', '>': '&gt;', '"': '&quot;' })[character]!
	);
