import { spawn } from 'node:child_process';
import { resolve } from 'node:path';
import { setTimeout as sleep } from 'node:timers/promises';
import { IsomericError } from '../../core/index.ts';
import { nodeMachine } from '../../node/index.ts';
import { lookAgain, retryAfterSeconds, secondsFrom, type WatchNews } from '../../study/again/watch.ts';
import { exitCodes } from '../exit-codes.ts';
import { type Output, printingReporter, printJson } from '../output.ts';
import { type AddCommand, outputOf } from './command.ts';
import { studyFolder } from './study.ts';

interface WatchOptions {
  every: string;
  then?: string;
  post?: string;
  once?: boolean;
  print?: string;
}

const quoted = (text: string) => (/^[\w./:@=-]+$/.test(text) ? text : `'${text.replaceAll("'", "'\\''")}'`);

/** The command line that a timetable calls. */
function commandLine(folders: readonly string[], { then, post }: WatchOptions): string {
  const rest = [
    ...(then === undefined ? [] : [`--then ${quoted(then)}`]),
    ...(post === undefined ? [] : [`--post ${quoted(post)}`]),
  ];
  return ['isomeric watch', ...folders.map((folder) => quoted(resolve(folder))), '--once', ...rest].join(' ');
}

/** When cron calls it: every so many minutes or hours, or once a day or a week in the night. */
function cronTimes(seconds: number): string {
  const minutes = Math.max(1, Math.round(seconds / 60));
  if (minutes < 60) return `*/${minutes} * * * *`;
  const hours = Math.round(minutes / 60);
  if (hours < 24) return `17 */${hours} * * *`;
  const days = Math.round(hours / 24);
  return days < 7 ? `17 3 */${days} * *`.replace('*/1 ', '* ') : '17 3 * * 1';
}

function printTimetable(
  output: Output,
  kind: string,
  folders: readonly string[],
  options: WatchOptions,
): void {
  const seconds = secondsFrom(options.every);
  const line = commandLine(folders, options);
  if (kind === 'cron') output.line(`${cronTimes(seconds)} ${line}`);
  else if (kind === 'systemd')
    output.line(`# ~/.config/systemd/user/isomeric.service
[Unit]
Description=Isomeric looks whether the sources of studies changed

[Service]
Type=oneshot
ExecStart=/usr/bin/env ${line}

# ~/.config/systemd/user/isomeric.timer
[Unit]
Description=When Isomeric looks

[Timer]
OnBootSec=5min
OnUnitActiveSec=${seconds}s
Persistent=true

[Install]
WantedBy=timers.target`);
  else
    throw new IsomericError('timetable-unknown', `There is no timetable “${kind}”.`, {
      advice: 'There are cron and systemd.',
      blame: 'usage',
    });
}

/** Calls a command with the news as JSON at its input. */
async function callCommand(command: string, news: WatchNews): Promise<void> {
  const child = spawn(command, {
    shell: true,
    stdio: ['pipe', 'inherit', 'inherit'],
    env: { ...process.env, ISOMERIC_FOLDER: news.folder, ISOMERIC_WHAT: news.what },
  });
  // A command that does not read has heard enough.
  child.stdin.on('error', () => {});
  child.stdin.end(`${JSON.stringify(news)}\n`);
  const code = await new Promise<number | null>((done, fail) => {
    child.once('error', fail);
    child.once('close', done);
  });
  if (code !== 0)
    throw new IsomericError('notice-failed', `The command that is called with news ended with ${code}.`, {
      place: { file: command },
      advice: 'Try it by hand; it gets the news as JSON at its input.',
    });
}

async function postNews(address: string, news: WatchNews): Promise<void> {
  let status: number;
  try {
    const answer = await fetch(address, {
      method: 'POST',
      headers: { 'content-type': 'application/json' },
      body: JSON.stringify(news),
      signal: AbortSignal.timeout(30_000),
    });
    status = answer.status;
    await answer.body?.cancel();
  } catch (cause) {
    throw new IsomericError('notice-failed', 'The address that news are posted to cannot be reached.', {
      place: { file: shown(address) },
      advice: 'Look whether it is right.',
      cause: cause instanceof IsomericError ? cause : undefined,
    });
  }
  if (status >= 200 && status <= 299) return;
  throw new IsomericError('notice-failed', `The address that news are posted to answers ${status}.`, {
    place: { file: shown(address) },
    advice: 'Look whether it takes JSON.',
  });
}

/** An address without what may open it: such addresses often are secrets themselves. */
const shown = (address: string) => (URL.canParse(address) ? `${new URL(address).origin}/…` : 'the address');

async function tell(output: Output, news: WatchNews, { then, post }: WatchOptions): Promise<void> {
  if (output.json) printJson(news);
  else for (const words of news.words) output.line(`${news.folder}: ${words}`);
  try {
    if (then !== undefined) await callCommand(then, news);
    if (post !== undefined) await postNews(post, news);
  } catch (error) {
    if (!(error instanceof IsomericError)) throw error;
    output.aside(error.sentence);
    process.exitCode = exitCodes.input;
  }
}

/** Looks at one study; true where it failed. */
async function look(output: Output, folder: string, options: WatchOptions): Promise<boolean> {
  const { failed, news } = await lookAgain(folder, nodeMachine(folder, quietReporter(output)));
  if (news !== null) await tell(output, news, options);
  else if (!output.json)
    output.aside(`${folder}: ${failed ? 'it fails as it was told before.' : 'nothing changed.'}`);
  return failed;
}

/** Watching says what is news, and not each step. */
function quietReporter(output: Output) {
  const reporter = printingReporter({ ...output, json: true });
  return { ...reporter, stage() {}, say() {}, note() {}, finding() {}, progress() {} };
}

export const addWatch: AddCommand = (program) => {
  program
    .command('watch')
    .description('run studies again on a timetable, and say when something changed')
    .argument('<folders...>', 'folders with study.yaml')
    .option('--every <interval>', 'how often: 1d, 12h, 30min', '1d')
    .option('--then <command>', 'called when something changed or failed, with the news as JSON at its input')
    .option('--post <address>', 'the news are posted there as JSON')
    .option('--once', 'look once and end: for cron and systemd')
    .option('--print <timetable>', 'print a line for cron, or the units for systemd, and end')
    .action(async (paths: string[], options: WatchOptions, command) => {
      const output = outputOf(command);
      const every = secondsFrom(options.every);
      const folders = await Promise.all(paths.map(studyFolder));
      if (options.print !== undefined) return printTimetable(output, options.print, folders, options);
      if (options.once === true) {
        let failures = 0;
        for (const folder of folders) if (await look(output, folder, options)) failures++;
        if (failures > 0) process.exitCode = exitCodes.input;
        return;
      }
      const due = new Map(folders.map((folder) => [folder, 0]));
      for (;;) {
        for (const folder of folders) {
          if (due.get(folder)! > Date.now()) continue;
          const failed = await look(output, folder, options);
          due.set(folder, Date.now() + 1000 * (failed ? retryAfterSeconds(every) : every));
        }
        await sleep(Math.max(1000, Math.min(...due.values()) - Date.now()));
      }
    });
};
