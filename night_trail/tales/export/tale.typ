#let tale = json(bytes(sys.inputs.tale))
#set document(title: tale.title)
#set page(paper: "a4", margin: (x: 22mm, y: 22mm), numbering: "1")
#set text(font: ("Literata", "Figtree"), size: 11pt, lang: "en", fill: rgb("#1b2433"))
#set par(leading: 0.75em, justify: false)
#show heading.where(level: 1): it => block(above: 0pt, below: 10pt, text(size: 13pt, weight: 400, fill: rgb("#4d5768"), font: "Figtree", it.body))
#show heading.where(level: 2): it => block(below: 14pt, text(size: 21pt, weight: 600, it.body))
#let small(it) = text(font: "Figtree", size: 9pt, fill: rgb("#4d5768"), it)
#let run(r) = {
  let it = text(r.at(0))
  if r.at(1) { it = strong(it) }
  if r.at(2) { it = emph(it) }
  if r.at(3) != "" { it = link(r.at(3), underline(it)) }
  it
}
#let runs(b) = b.runs.map(run).join()
#let blocks(all) = {
  let at = 0
  while at < all.len() {
    let b = all.at(at)
    if b.kind == "item" or b.kind == "numbered" {
      let items = ()
      let kind = b.kind
      while at < all.len() and all.at(at).kind == kind { items.push(runs(all.at(at))); at += 1 }
      if kind == "item" { list(..items) } else { enum(..items) }
    } else {
      if b.kind == "quote" { quote(block: true, runs(b)) }
      else if b.kind == "heading" { block(text(size: 13pt, weight: 600, runs(b))) }
      else if b.kind == "code" { raw(b.runs.at(0).at(0), block: true) }
      else { par(runs(b)) }
      at += 1
    }
  }
}
#v(32%)
#block(text(size: 30pt, weight: 600, tale.title))
#for stop in tale.stops {
  pagebreak()
  if stop.chapter != "" { heading(level: 1, stop.chapter) }
  heading(level: 2, stop.heading)
  if stop.large.len() > 0 { block(text(size: 34pt, weight: 600, stop.large.at(0))); small(stop.large.at(1)) }
  blocks(stop.blocks)
  if stop.claim != "" { block(inset: (left: 8pt), stroke: (left: 2pt + rgb("#2f7d4a")), small(stop.claim)) }
  for picture in stop.pictures {
    block(breakable: false, {
      if picture.words != "" { par(emph(picture.words)) }
      image(picture.file, width: 100%, height: if picture.file.starts-with("image") { 110mm } else { auto }, fit: "contain", alt: picture.alt)
      for caution in picture.cautions { block(above: 4pt, small("! " + caution)) }
    })
  }
  if stop.unreadable { small("The picture of this stop cannot be drawn any more.") }
}
