/** The solver that ships with Ferrule: Z3 as WebAssembly, on one thread, with a fixed seed. */
import { type Solver } from './induction.js';

export interface LoadedSolver extends Solver {
  close(): Promise<void>;
}

/** The part of the module behind the solver's interface that is used. */
interface Module {
  ccall(name: string, result: 'string', types: readonly string[], args: readonly unknown[]): string;
}

/** Characters of one call: arguments are handed over on the module's stack. */
const PIECE = 60_000;

/** Loads the solver; `close` ends the threads it keeps. Questions block the thread that asks: have a worker ask. */
export async function loadSolver(): Promise<LoadedSolver> {
  const { init, killThreads } = await import('z3-solver');
  const { Z3, em } = await init();
  const make = () => {
    const config = Z3.mk_config();
    const context = Z3.mk_context(config);
    Z3.del_config(config);
    return context;
  };
  let context = make();
  // Asked without a thread in between: the package's own way hands the text over on a stack that is taken back before
  // it has been read.
  const evaluate = (text: string) =>
    (em as unknown as Module).ccall('Z3_eval_smtlib2_string', 'string', ['number', 'string'], [context, text]);
  return {
    run: async (commands) => {
      // A context of its own is cleaner than `(reset)`, which keeps options.
      if (commands.startsWith('(reset)')) {
        Z3.del_context(context);
        context = make();
      }
      let piece: string[] = [],
        length = 0,
        answer = '';
      for (const line of commands.replace(/^\(reset\)\n?/, '').split('\n')) {
        if (length + line.length > PIECE && piece.length) {
          answer += evaluate(piece.join('\n'));
          piece = [];
          length = 0;
        }
        piece.push(line);
        length += line.length + 1;
      }
      answer += evaluate(piece.join('\n'));
      // Others get their turn between two questions.
      await new Promise((resolve) => {
        setTimeout(resolve, 0);
      });
      return answer;
    },
    close: async () => {
      await killThreads(em);
    },
  };
}
