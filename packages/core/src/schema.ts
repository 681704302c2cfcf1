/** `@ferrule/core/schema`: what checks documents and edits at the borders, with class-validator behind it. */
export { documentProblems, parseProject, shapeProblems, thingProblems } from './document/schema.js';
export { readEdits } from './document/read-edits.js';
