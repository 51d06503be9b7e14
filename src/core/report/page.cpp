// SPDX-License-Identifier: GPL-3.0-or-later
#include "report/page.h"

#include <fmt/format.h>

namespace wyc {
namespace {

constexpr const char* kStyle = R"(
:root { --paper: #f6f8f7; --ink: #16211f; --soft: #5a6a68; --line: #d5dddb; --card: #ffffff; --glass: #14806a;
  --heather: #7a5bc0; --straw: #8a6a00; --rust: #b5402c; --moss: #3d7a20; }
@media (prefers-color-scheme: dark) { :root { --paper: #0e1518; --ink: #dfe8e4; --soft: #93a8a6; --line: #26363c;
  --card: #141e22; --glass: #6fcfb4; --heather: #b79bea; --straw: #e4c765; --rust: #e0705a; --moss: #8fbf6a; } }
* { box-sizing: border-box; }
body { margin: 0; background: var(--paper); color: var(--ink); font: 15px/1.5 Inter, system-ui, sans-serif;
  font-variant-numeric: tabular-nums; }
main { max-width: 60rem; margin: 0 auto; padding: 2rem 1.2rem 4rem; }
h1 { font-size: 1.35rem; line-height: 1.3; margin: 0 0 .3rem; } h2 { font-size: 1.05rem; margin: 2.2rem 0 .4rem; }
p { margin: .3rem 0; } .soft { color: var(--soft); } .a { color: var(--glass); } .b { color: var(--heather); }
.good { color: var(--moss); } .bad { color: var(--rust); }
.lead { font-size: 1.05rem; }
table { border-collapse: collapse; width: 100%; margin: .6rem 0; } .wide { overflow-x: auto; }
th { text-align: left; font-weight: 500; color: var(--soft); } th, td { padding: .35rem .7rem .35rem 0;
  border-bottom: 1px solid var(--line); vertical-align: top; }
td.n { text-align: right; white-space: nowrap; } th.n { text-align: right; }
figure { margin: 1rem 0; background: var(--card); border: 1px solid var(--line); padding: .8rem; }
figcaption { color: var(--soft); font-size: .87rem; margin-top: .4rem; }
svg { display: block; width: 100%; height: auto; } svg text { fill: var(--soft); font-size: 11px; }
.plots { display: grid; grid-template-columns: repeat(auto-fit, minmax(17rem, 1fr)); gap: 1rem; }
.plots figure { margin: 0; }
)";

} // namespace

std::string escaped(std::string_view text) {
    std::string result;
    for (const char c : text)
        switch (c) {
        case '&': result += "&amp;"; break;
        case '<': result += "&lt;"; break;
        case '>': result += "&gt;"; break;
        case '"': result += "&quot;"; break;
        default: result += c;
        }
    return result;
}

std::string htmlPage(std::string_view title, const std::string& body) {
    return fmt::format("<!doctype html>\n<html lang='en'><head><meta charset='utf-8'><meta name='viewport' "
                       "content='width=device-width, initial-scale=1'><meta name='color-scheme' content='light dark'>"
                       "<title>{}</title><style>{}</style></head><body><main>{}</main></body></html>\n",
                       escaped(title), kStyle, body);
}

Status writePage(const std::string& page, const fs::path& file) {
    // A slip of the name must not cost a cache.
    if (const fs::path ending = file.extension(); ending != ".html" && ending != ".htm")
        return fail(makeError(ErrorKind::BadInput, "a page's name ends in .html").inFile(file.string()));
    WYC_TRY(target, AtomicFile::create(file));
    WYC_CHECK(target->append(page));
    return target->commit(AtomicFile::Replace::Yes);
}

} // namespace wyc
