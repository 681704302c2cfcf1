/** XML is read away from the page: a large file takes its time. */
import { type XmlIn, projectFromXml } from '@ferrule/core/files';

let n = 0;
const newId = (prefix: string): string => `${prefix}${Date.now().toString(36)}${(n++).toString(36)}`;

self.onmessage = ({ data }: MessageEvent<{ readonly text: string; readonly name: string }>) => {
  postMessage(projectFromXml(data.text, data.name, newId) satisfies XmlIn);
};
