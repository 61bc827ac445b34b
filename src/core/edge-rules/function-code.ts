import type { EdgeRules } from "../model/edge-rules.ts";

/**
 * The code of a viewer function: it is run for each request before the edge looks at what it holds, gets an event with the
 * request, and returns that request or an answer. Written for an interpreter that knows ECMAScript 5.1 and little more.
 * It does what `applyRules` does.
 */
export function toFunctionCode({ basePath, apart, previews, redirects, pages }: EdgeRules): string {
  const exact: Record<string, number> = {};
  const trees: [string, number][] = [];
  redirects.forEach(({ address }, index) => {
    if (address.endsWith("*")) trees.push([address.slice(0, -1), index]);
    else exact[address] ??= index;
  });
  const targets = redirects.map(({ leadsTo, status }) => [leadsTo, status]);
  const data = [
    `var base=${toText(basePath)},apart=${toText(apart)},previews=${previews ? toText(previews) : "null"};`,
    `var exact=${toText(exact)};`,
    `var trees=${toText(trees)};`,
    `var targets=${toText(targets)};`,
    `var pages=${pages ? toText(pages) : "null"};`,
  ];
  return `${HEAD}\n${data.join("\n")}\n${BODY}`;
}

/** What a function is called that changes nothing: an edge gets it before its site is delivered. */
export const PASSING_FUNCTION = "// Restless Courier\nfunction handler(event){return event.request}\n";

/** Whether code that `toFunctionCode` has made leads unknown addresses to the entry page. */
export const answersRoutes = (code: string): boolean => /^var pages=\{.*"entry":/m.test(code);

/** Only ASCII, so that letters are bytes. */
const toText = (value: unknown): string =>
  JSON.stringify(value).replace(
    /[^\x20-\x7e]/g,
    (letter) => `\\u${letter.charCodeAt(0).toString(16).padStart(4, "0")}`,
  );

const HEAD = "// Restless Courier, from courier.yaml";

const BODY = `function own(table,name){return Object.prototype.hasOwnProperty.call(table,name)}
function canonical(path){
return path.split("/").map(function(part){
return encodeURIComponent(decodeURIComponent(part)).replace(/%(24|26|2B|2C|3A|3B|3D|40)/g,decodeURIComponent)
}).join("/")}
function queryOf(request){
if(typeof request.rawQueryString==="function")return request.rawQueryString()||"";
var all=request.querystring||{},parts=[];
Object.keys(all).forEach(function(name){
var one=all[name];
(one.multiValue||[one]).forEach(function(each){parts.push(each.value===""?name:name+"="+each.value)})
});
return parts.join("&")}
function redirect(request,target,status){
var query=queryOf(request),at=target.indexOf("#");
if(query!==""){
var head=at<0?target:target.slice(0,at),tail=at<0?"":target.slice(at);
target=head+(head.indexOf("?")<0?"?":"&")+query+tail}
return{statusCode:status,statusDescription:status===301||status===308?"Moved Permanently":"Found",
headers:{location:{value:target},"cache-control":{value:"max-age=0, must-revalidate"}}}}
function find(rest){
if(own(pages.others,rest))return pages.others[rest]===""?null:rest+pages.others[rest];
if(rest==="")return pages.indexName;
var last=rest.slice(rest.lastIndexOf("/")+1),dot=last.lastIndexOf(".");
if(pages.entry!==undefined)return dot>=0&&pages.endings.indexOf(last.slice(dot+1).toLowerCase())>=0?null:pages.entry;
if(last==="")return pages.folders?rest+pages.indexName:null;
return dot>=0||pages.bare===""?null:rest+pages.bare}
function previewOf(request){
var host=(request.headers.host?request.headers.host.value:"").toLowerCase().replace(/:\\d+$/,"");
var name=host.slice(previews.before.length,host.length-previews.after.length);
return host===previews.before+name+previews.after&&/^[a-z0-9-]+$/.test(name)?name:null}
function handler(event){
var request=event.request,path;
try{path=canonical(request.uri)}catch(error){return request}
if(path.slice(0,base.length)!==base)return request;
var preview=previews?previewOf(request):null;
for(var a=0;a<apart.length;a++)if(preview===null&&path.slice(0,apart[a].length)===apart[a]){
if(pages&&path.slice(-1)==="/")request.uri=path+pages.indexName;
return request}
var first=own(exact,path)?exact[path]:targets.length,rest="";
for(var t=0;t<trees.length&&trees[t][1]<first;t++){
var head=trees[t][0];
if(path.slice(0,head.length)===head){first=trees[t][1];rest=path.slice(head.length);break}}
if(first<targets.length){
var target=targets[first][0],isTree=!(own(exact,path)&&exact[path]===first);
if(isTree&&target.slice(-1)==="*")target=target.slice(0,-1)+rest;
return redirect(request,target,targets[first][1])}
var found=pages?find(path.slice(base.length)):null;
if(preview!==null)request.uri=previews.path+preview+"/"+(found===null?path.slice(base.length):found);
else if(found!==null)request.uri=base+found;
return request}
`;
