import { expect } from 'chai';
import fc from 'fast-check';
import { Screen } from './screen';
import { isGreeting, Shell, type ShellForm } from './shell';

function shown(...pieces: string[]): string[] {
	const screen = new Screen();
	for (const piece of pieces) screen.write(piece);
	return [...screen.take(), screen.tail];
}

describe('a terminal', () => {
	it('shows lines as somebody would see them', () => {
		expect(shown('one\r\ntwo\r\nthr')).to.deep.equal(['one', 'two', 'thr']);
		expect(shown('\u001b[1;32mgreen\u001b[0m text\u0007\n')).to.deep.equal(['green text', '']);
		expect(shown('typo\be\n')).to.deep.equal(['type', '']);
		expect(shown('--more--\r        \rnext line\n')).to.deep.equal(['next line', '']);
		expect(shown('--more--\r\u001b[Kline\n')).to.deep.equal(['line', '']);
		expect(shown('a\tb\n')).to.deep.equal(['a\tb', '']);
		expect(shown('\u001b]0;a title\u0007gw-1# ')).to.deep.equal(['gw-1# ']);
		expect(shown('\u001b]0;a title\u001b\\gw-1# ')).to.deep.equal(['gw-1# ']);
		expect(shown('\u001b(0x\u001b)Bhörer\n')).to.deep.equal(['xhörer', '']);
		expect(shown('ab\u001b[2Dc\u001b[3Cd\n')).to.deep.equal(['cb  d', '']);
	});

	it('shows the same in whatever pieces it comes', () => {
		const signs = [...'ab1;[]()K \r\n\b\t\u001b\u0007\\#>'];
		fc.assert(
			fc.property(fc.array(fc.constantFrom(...signs), { maxLength: 80 }), fc.nat(80), (text, at) => {
				expect(shown(text.slice(0, at).join(''), text.slice(at).join(''))).to.deep.equal(
					shown(text.join(''))
				);
			})
		);
	});

	it('is filled by nothing: long lines, far columns and sequences without an end', () => {
		expect(shown('x'.repeat(300_000))[0]!.length).to.be.at.most(64 * 1024);
		expect(shown('\u001b[999999999Cx\n')[0]!.length).to.be.at.most(64 * 1024);
		expect(shown(`\u001b]${'t'.repeat(5_000)}\n after`).at(-1)).to.match(/after$/);
	});
});

const FORM: ShellForm = {
	prompt: '^[\\w.-]+(?:\\([\\w/ -]+\\))?[>#] ?$',
	more: { shows: '^ ?--More--', press: ' ' },
	questions: [{ asks: '\\[confirm\\]$', answer: 'y' }],
	literal: { before: '\u0016', keys: '?\t' }
};
/** A shell that stands at its first prompt. */
function ready(form = FORM): Shell {
	const shell = new Shell(form);
	expect(shell.hear('Welcome\r\ngw-1# ')).to.deep.equal({ kind: 'perhaps' });
	expect(shell.settle()).to.deep.equal({ kind: 'done', printed: 'Welcome\n' });
	return shell;
}

describe('a shell', () => {
	it('takes what is printed between the echo and the prompt for the answer', () => {
		const shell = ready();
		expect(shell.type('show version')).to.equal('show version\r');
		expect(shell.hear('show version\r\nrelease 7')).to.deep.equal({ kind: 'wait' });
		expect(shell.hear('.0.3\r\n\r\ngw-1# ')).to.deep.equal({ kind: 'done', printed: 'release 7.0.3\n\n' });
		expect(shell.type('nothing')).to.equal('nothing\r');
		expect(shell.hear('nothing\r\ngw-1# ')).to.deep.equal({ kind: 'done', printed: '' });
	});

	it('waits when a new prompt may only be the beginning of a line', () => {
		const shell = ready();
		shell.type('configure');
		expect(shell.hear('configure\r\ngw-1(config)# ')).to.deep.equal({ kind: 'perhaps' });
		expect(shell.settle()).to.deep.equal({ kind: 'done', printed: '' });
		shell.type('show names');
		expect(shell.hear('show names\r\ngw-9# ')).to.deep.equal({ kind: 'perhaps' });
		expect(shell.hear('is the name of another\r\ngw-1(config)# ')).to.deep.equal({
			kind: 'done',
			printed: 'gw-9# is the name of another\n'
		});
	});

	it('goes on at the pager, also when it comes in colours or in the greeting', () => {
		const shell = new Shell(FORM);
		expect(shell.hear('Be kind\r\n --More-- ')).to.deep.include({ kind: 'press', keys: ' ' });
		expect(shell.hear('\r          \rAll of you\r\ngw-1# ').kind).to.equal('perhaps');
		expect(shell.settle()).to.deep.equal({ kind: 'done', printed: 'Be kind\nAll of you\n' });
		shell.type('show log');
		shell.hear('show log\r\none\r\n\u001b[7m--More--\u001b[0m');
		expect(shell.hear('\r\u001b[Ktwo\r\ngw-1# ')).to.deep.equal({ kind: 'done', printed: 'one\ntwo\n' });
	});

	it('is told by what it shows before anything is typed', () => {
		const form = { prompt: '^[a-z0-9-]+[>#] $', more: { shows: '-- more', press: ' ' }, questions: [] };
		expect(isGreeting(form, 'Fennick\r\nBe kind.\r\nlodge-gw> ')).to.equal(true);
		expect(isGreeting(form, 'Fennick\r\n\u001b[7m-- more --\u001b[0m')).to.equal(true);
		for (const other of ['', 'login: ', 'lodge-gw> \r\n', '[admin@lodge] > ', 'lodge-gw$ '])
			expect(isGreeting(form, other), other).to.equal(false);
	});

	it('answers the questions it knows, and no more often than makes sense', () => {
		const shell = ready();
		shell.type('reload');
		expect(shell.hear('reload\r\nProceed? [confirm]')).to.deep.include({ kind: 'press', keys: 'y\r' });
		let last = '';
		for (let times = 0; times < 100; times++) last = shell.hear('y\r\nProceed? [confirm]').kind;
		expect(last).to.equal('wait');
	});

	it('gives a secret once, to the command it is for, and says when it is not taken or not known', () => {
		const secret = { asks: '^Password: $', answer: 'up we go' };
		const shell = ready();
		shell.type('enable', secret);
		expect(shell.hear('enable\r\nPassword: ')).to.deep.include({ kind: 'press', keys: 'up we go\r' });
		expect(shell.hear('\r\ngw-1## ').kind).to.equal('wait');
		expect(shell.hear('no\r\nPassword: ')).to.include({ kind: 'unanswered', wasGiven: true });
		shell.type('enable', { ...secret, answer: null });
		expect(shell.hear('enable\r\nPassword: ')).to.include({ kind: 'unanswered', wasGiven: false });
		// Another command is not answered so, whatever the device asks
		shell.type('show version');
		expect(shell.hear('show version\r\nPassword: ').kind).to.equal('wait');
	});

	it('takes no message that nobody asked for, and no prompt after it, for an answer', () => {
		const shell = ready();
		shell.type('show version');
		expect(shell.hear('\r\n%LINK-3: port 1 is up\r\ngw-1# ')).to.deep.equal({ kind: 'perhaps' });
		expect(shell.hear('show version\r\nrelease 7\r\ngw-1# ')).to.deep.equal({
			kind: 'done',
			printed: 'release 7\n'
		});
	});

	it('types what must be literal so', () => {
		expect(ready().type('note "what?\tnow"')).to.equal('note "what\u0016?\u0016\tnow"\r');
	});

	it('refuses output without end, and takes time in proportion to it', () => {
		const shell = ready();
		shell.type('show all');
		let heard = shell.hear('show all\r\n').kind;
		for (let times = 0; times < 40; times++) heard = shell.hear(`${'x'.repeat(60)}\r\n`.repeat(500)).kind;
		expect(heard).to.equal('refused');
	});

	it('listens no longer to one that only moves and erases', () => {
		const shell = ready();
		shell.type('show all');
		let heard = shell.hear('show all\r\n').kind;
		for (let times = 0; times < 140; times++)
			heard = shell.hear('\u001b[2K\u001b[900C\u001b[P'.repeat(2_400)).kind;
		expect(heard).to.equal('refused');
	});
});
