/** What a report looks like: the page in Mustache, filled by `report.ts`. Everything in two braces is escaped. */

/** A4 with the project's name, the hash and page numbers at the foot; what belongs together stays on one page. */
export const STYLE = `
@page { size: A4; margin: 18mm 18mm 20mm;
  @bottom-left { content: "{{{footName}}} · {{footHash}}"; font: 8pt sans-serif; color: #6b6157 }
  @bottom-right { content: counter(page) " / " counter(pages); font: 8pt sans-serif; color: #6b6157 } }
body { font: 10pt/1.4 Inter, sans-serif; color: #231d17; max-width: 190mm; margin: auto }
h1 { margin-bottom: 0 }
h2 { font-size: 13pt; margin: 6mm 0 2mm }
h3 { font-size: 10.5pt; margin: 4mm 0 1mm }
h2, h3, th { break-after: avoid }
small { font-weight: normal; color: #6b6157 }
code { font-family: monospace; overflow-wrap: anywhere }
table { border-collapse: collapse; width: 100% }
th { text-align: left; font-weight: 600; color: #6b6157 }
td, th { border-bottom: 1px solid #d8cfc0; padding: 2pt 5pt; vertical-align: top }
section.check, tr, li { break-inside: avoid }
table.head { width: auto; margin-top: 3mm }
table.head td { overflow-wrap: anywhere }
.check table { table-layout: fixed }
.check th:nth-child(1), .check th:nth-child(4) { width: 20% }
.check th:nth-child(2) { width: 24% }
ul { margin: 1mm 0; padding-left: 5mm }
ul.many { columns: 2; column-gap: 8mm }
.first { border: 1px solid #d8cfc0; border-radius: 3mm; padding: 1mm 6mm 4mm; margin: 5mm 0 }
.bad { color: #b3261e }
.ok { color: #2e6b4a }
p.sign { margin-top: 22mm; display: flex; gap: 12mm; break-inside: avoid }
p.sign span { border-top: 1px solid; flex: 1; padding-top: 2mm }
`;

export const PARTIALS = {
  style: STYLE,
  list: `<ul{{#isLong}} class="many"{{/isLong}}>{{#items}}<li>{{.}}</li>{{/items}}</ul>`,
  mark: `<span class="{{tone}}">{{word}}</span>`,

  /** What has to be known first: what failed, what is forced, what is not proved. */
  first: `
{{#broken}}<h2 class="bad">{{n}} of {{of}} failed</h2>{{#list}}{{> list}}{{/list}}{{/broken}}
{{#open}}<h2 class="bad">{{n}} of {{of}} open</h2>{{#list}}{{> list}}{{/list}}{{/open}}
{{#passed}}<h2 class="ok">All {{.}} passed</h2>{{/passed}}
{{#wrong}}<h3 class="bad">Found wrong at the I/O</h3>{{> list}}{{/wrong}}
{{#forced}}<h3>Forced while checks played</h3>{{> list}}{{/forced}}
{{^forced}}<p>Nothing was forced while the checks played.</p>{{/forced}}
{{#isUnproved}}
<p><b>No proof was run on this revision:</b> rules were judged on the scans that were played only.</p>
{{/isUnproved}}
{{#unproved}}<h3 class="bad">Not proved</h3>{{> list}}{{/unproved}}
{{#proved}}<h3 class="ok">Every rule is proved, each within these bounds</h3>{{> list}}{{/proved}}
{{#assumed}}<h3>Assumed about the machine</h3>{{> list}}{{/assumed}}`,

  rules: `
<table>
<tr><th></th><th>Rule</th><th>Strength reached</th></tr>
{{#rules}}
<tr><td>{{#isAssumed}}assumed, {{/isAssumed}}{{#mark}}{{> mark}}{{/mark}}</td>
<td><b>{{name}}</b><br>{{sentence}}</td>
<td>{{#reached}}{{^isFirst}}<br>{{/isFirst}}{{words}}{{/reached}}</td></tr>
{{/rules}}
</table>`,

  reach: `
<section><h2>Reach</h2>
<table><tr>{{#figures}}<td><b>{{reached}} of {{of}}</b><br>{{words}}</td>{{/figures}}</tr></table>
{{#never}}<h3>Never exercised</h3>{{> list}}{{/never}}
</section>`,

  changes: `
<section><h2>What the checks notice</h2>
<p><b>{{noticed}} of {{tried}}</b> small changes to the logic, made one at a time, are noticed by a check or a rule.</p>
{{#missed}}<h3>Not noticed</h3>{{> list}}{{/missed}}
</section>`,

  checkout: `
<section><h2>I/O checkout</h2>
<p>{{right}} of {{points}} found right.</p>
<table>
<tr><th>Point</th><th>Address</th><th>Found</th><th>By</th><th>When</th></tr>
{{#rows}}
<tr><td>{{name}}</td><td>{{address}}</td><td class="{{tone}}">{{found}}</td><td>{{by}}</td><td>{{when}}</td></tr>
{{/rows}}
</table></section>`,

  check: `
<section class="check">
<h3>{{#mark}}{{> mark}}{{/mark}} {{name}} <small>{{time}}, {{scans}}</small></h3>
{{#meaning}}<p>{{.}}</p>{{/meaning}}
{{#failure}}<p class="bad">{{.}}</p>{{/failure}}
<table>
<tr><th>When</th><th>Do</th><th>Expect</th><th>Seen</th></tr>
{{#rows}}
<tr class="{{tone}}"><td>{{#from}}<small>{{.}}</small> {{/from}}{{when}}</td>
<td>{{does}}</td><td>{{expects}}</td><td>{{seen}}</td></tr>
{{/rows}}
</table></section>`,

  timing: `
<h3>{{name}} <small>kept {{kept}}</small></h3>
<p>{{cycles}}: {{smallest}} shortest, {{median}} median, {{largest}} longest, in simulated time.</p>
<table>
<tr><th>Step</th><th>Shortest</th><th>Median</th><th>Longest</th>{{#isPlanned}}<th>Meant</th>{{/isPlanned}}<th>Share</th></tr>
{{#steps}}
<tr><td>{{step}}</td><td>{{shortest}}</td><td class="{{tone}}">{{middle}}</td><td>{{longest}}</td>
{{#isPlanned}}<td>{{meant}}</td>{{/isPlanned}}<td>{{share}} %</td></tr>
{{/steps}}
</table>`,

  modbus: `
<section id="modbus"><h2>Over Modbus TCP</h2>
<table>
<tr>{{#head}}<th>{{.}}</th>{{/head}}</tr>{{#rows}}<tr>{{#.}}<td>{{.}}</td>{{/.}}</tr>{{/rows}}
</table></section>`,

  outside: `
<section id="outside"><h2>Outside I/O</h2>
<p>{{protocol}}, <code>{{address}}</code>. In checks and proofs these inputs are as they are set there; the machine
model does not give them.</p>
<table>
<tr><th>Tag</th><th></th><th>Item</th><th>Fallback</th></tr>
{{#rows}}<tr><td>{{path}}</td><td>{{way}}</td><td><code>{{item}}</code></td><td>{{fallback}}</td></tr>{{/rows}}
</table></section>`,

  controller: `
<section><h2>At the controller</h2>
<p>{{words}}{{#hash}}, hash <code>{{.}}</code>{{/hash}}.</p>
{{#events}}
<table>
<tr><th>When (UTC)</th><th>What</th><th></th></tr>
{{#rows}}<tr><td>{{when}}</td><td>{{what}}</td><td>{{said}}</td></tr>{{/rows}}
</table>
{{/events}}
</section>`,
};

/** The whole page. */
export const PAGE = `<!doctype html>
<html lang="en">
<meta charset="utf-8">
<title>{{name}}: report</title>
<style>{{> style}}</style>
<h1>{{name}}</h1>
<p>Report of checks and rules. {{totals}}.</p>
<table class="head">{{#head}}<tr><th>{{what}}</th><td>{{is}}</td></tr>{{/head}}</table>
<div class="first">{{> first}}</div>
<p class="sign"><span>Date</span><span>Tested by</span><span>Accepted by</span></p>
<h2>Interlock rules</h2>
{{> rules}}
{{#reach}}{{> reach}}{{/reach}}
{{#changes}}{{> changes}}{{/changes}}
{{#checkout}}{{> checkout}}{{/checkout}}
<h2>Sequence checks</h2>
{{#checks}}{{> check}}{{/checks}}
{{#timings}}<section id="timing"><h2>Timing</h2>{{#kept}}{{> timing}}{{/kept}}</section>{{/timings}}
{{#modbus}}{{> modbus}}{{/modbus}}
{{#outside}}{{> outside}}{{/outside}}
{{#controller}}{{> controller}}{{/controller}}
</html>
`;
