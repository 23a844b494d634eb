import { HighlightStyle, StreamLanguage, syntaxHighlighting, type StringStream } from '@codemirror/language';
import { EditorView } from '@codemirror/view';
import { tags } from '@lezer/highlight';

/** How configuration texts look in an editor: values and tags stand out, comments step back. */
interface State {
	inside: 'value' | 'tag' | null;
}
const language = StreamLanguage.define<State>({
	startState: () => ({ inside: null }),
	token(stream: StringStream, state: State) {
		if (state.inside) {
			if (stream.match(state.inside === 'value' ? /-?\}\}/ : /-?%\}/)) {
				state.inside = null;
				return 'brace';
			}
			if (stream.match(/"(?:[^"\\]|\\.)*"|'(?:[^'\\]|\\.)*'/)) return 'string';
			if (stream.match(/\d+/)) return 'number';
			if (stream.match(/[a-z_][\w.]*/)) return state.inside === 'value' ? 'variableName' : 'keyword';
			stream.next();
			return null;
		}
		if (stream.match(/\{\{-?/)) {
			state.inside = 'value';
			return 'brace';
		}
		if (stream.match(/\{%-?/)) {
			state.inside = 'tag';
			return 'brace';
		}
		if (stream.sol() && stream.match(/\s*[!#].*/)) return 'comment';
		if (!stream.match(/[^{]+/)) stream.next();
		return null;
	}
});

const highlight = HighlightStyle.define([
	{ tag: tags.variableName, color: 'var(--pine)', fontWeight: '600' },
	{ tag: tags.keyword, color: 'var(--amber)', fontWeight: '600' },
	{ tag: tags.brace, color: 'var(--quiet)' },
	{ tag: tags.comment, color: 'var(--quiet)', fontStyle: 'italic' },
	{ tag: tags.string, color: 'var(--amber)' }
]);

const theme = EditorView.theme({
	'&': {
		backgroundColor: 'var(--sheet)',
		color: 'var(--ink)',
		border: '1px solid var(--hairline)',
		borderRadius: '6px',
		fontSize: '0.87rem'
	},
	'&.cm-focused': { outline: '2px solid var(--marigold)', outlineOffset: '2px' },
	'.cm-scroller': { fontFamily: 'var(--font-mono)', lineHeight: '1.5' },
	'.cm-gutters': {
		backgroundColor: 'var(--sheet)',
		color: 'var(--quiet)',
		borderRight: '1px solid var(--hairline)'
	},
	'.cm-activeLine, .cm-activeLineGutter': { backgroundColor: 'var(--chosen)' },
	'.cm-cursor': { borderLeftColor: 'var(--ink)' },
	'&.cm-focused .cm-selectionBackground, .cm-selectionBackground, ::selection': {
		backgroundColor: 'color-mix(in srgb, var(--marigold) 35%, transparent) !important'
	},
	'.cm-changedLine': { backgroundColor: 'var(--chosen) !important' },
	'.cm-deletedChunk': { backgroundColor: 'color-mix(in srgb, var(--brick) 12%, transparent)' },
	'.cm-changedText': {
		background: 'color-mix(in srgb, var(--marigold) 35%, transparent) !important'
	},
	'.cm-deletedText': {
		background: 'transparent !important',
		textDecoration: 'line-through',
		textDecorationColor: 'var(--brick)'
	},
	'.cm-changedLineGutter': { background: 'var(--marigold) !important' },
	'.cm-deletedLineGutter': { background: 'var(--brick) !important' },
	'.cm-collapsedLines': {
		background: 'var(--paper)',
		color: 'var(--quiet)',
		borderBlock: '1px solid var(--hairline)',
		// The library's own sign is in no font that we ship
		'&:before': { content: '"⋯"' },
		'&:after': { content: '"⋯"' }
	},
	'.cm-tooltip': { backgroundColor: 'var(--sheet)', color: 'var(--ink)', border: '1px solid var(--hairline)' }
});

export const look = [language, syntaxHighlighting(highlight), theme];
