/** Files taken in as text (Vite's `?raw`). */
declare module '*?raw' {
  const text: string;
  export default text;
}
