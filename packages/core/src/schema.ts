/** `@ferrule/core/schema`: what checks documents and edits at the borders, with class-validator behind it. */
export { documentProblems, parseProject, shapeProblems, thingProblems } from './project/schema.js';
export { readEdits } from './project/read-edits.js';
