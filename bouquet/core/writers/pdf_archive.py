"""
PDF for keeping: what PDF/A-2b (ISO 19005-2, level B) asks of a file beside embedded fonts.

A description in XMP that names the standard and says what the document's information says, and the colours that grays
are meant in (an output intent, its profile made by Little CMS). A file that shows a letter which no font has does not
claim the standard, which allows no such glyph (6.2.11.8).
"""

from __future__ import annotations

from functools import lru_cache
from typing import Any

from PIL import ImageCms
from reportlab.pdfbase.pdfdoc import PDFArray, PDFDictionary, PDFName, PDFStream, PDFString
from reportlab.pdfgen.canvas import Canvas

from bouquet.core.writers.markup import escaped_text

__all__ = ["describe"]

_PACKET = """<?xpacket begin="\ufeff" id="W5M0MpCehiHzreSzNTczkc9d"?>
<x:xmpmeta xmlns:x="adobe:ns:meta/">
<rdf:RDF xmlns:rdf="http://www.w3.org/1999/02/22-rdf-syntax-ns#">
<rdf:Description rdf:about="" xmlns:dc="http://purl.org/dc/elements/1.1/" xmlns:xmp="http://ns.adobe.com/xap/1.0/"
 xmlns:pdf="http://ns.adobe.com/pdf/1.3/" xmlns:pdfaid="http://www.aiim.org/pdfa/ns/id/">
<dc:format>application/pdf</dc:format>
<dc:title><rdf:Alt><rdf:li xml:lang="x-default">{title}</rdf:li></rdf:Alt></dc:title>
<dc:creator><rdf:Seq><rdf:li>{author}</rdf:li></rdf:Seq></dc:creator>
<dc:description><rdf:Alt><rdf:li xml:lang="x-default">{subject}</rdf:li></rdf:Alt></dc:description>
<dc:language><rdf:Bag><rdf:li>{language}</rdf:li></rdf:Bag></dc:language>
<xmp:CreateDate>{made}</xmp:CreateDate>
<xmp:ModifyDate>{made}</xmp:ModifyDate>
<xmp:CreatorTool>{creator}</xmp:CreatorTool>
<pdf:Producer>{producer}</pdf:Producer>
<pdf:Keywords>{keywords}</pdf:Keywords>
{claim}</rdf:Description>
</rdf:RDF>
</x:xmpmeta>
<?xpacket end="r"?>"""

_CLAIM = "<pdfaid:part>2</pdfaid:part>\n<pdfaid:conformance>B</pdfaid:conformance>\n"


def describe(canvas: Canvas, language: str, conforms: bool) -> None:
    """
    Add the description and the output intent to a document whose information is set; before it is saved.

    `language` is a language tag (BCP 47); `conforms` says whether all that is shown has a glyph.
    """
    document: Any = vars(canvas)["_doc"]
    info, catalog = document.info, document.Catalog
    facts = {
        k: escaped_text(str(getattr(info, k)))
        for k in ("title", "author", "subject", "keywords", "producer", "creator")
    }
    made = document._timeStamp.datetime.isoformat(timespec="seconds")
    packet = _PACKET.format(**facts, language=escaped_text(language), made=made, claim=_CLAIM if conforms else "")
    # Read by programs that know nothing of PDF: never compressed.
    catalog.Metadata = PDFStream(
        PDFDictionary({"Type": PDFName("Metadata"), "Subtype": PDFName("XML")}), packet.encode()
    )
    profile = PDFStream(PDFDictionary({"N": 3}), _profile())
    intent = PDFDictionary(
        {
            "Type": PDFName("OutputIntent"),
            "S": PDFName("GTS_PDFA1"),
            "OutputConditionIdentifier": PDFString("sRGB IEC61966-2.1"),
            "Info": PDFString("sRGB IEC61966-2.1"),
            "DestOutputProfile": document.Reference(profile),
        }
    )
    # The library writes those entries of a catalogue that it knows by name.
    catalog.__NoDefault__ = [*catalog.__NoDefault__, "OutputIntents"]
    catalog.OutputIntents = PDFArray([intent])


@lru_cache(maxsize=1)
def _profile() -> bytes:
    """
    The colour space of screens as an ICC profile.
    """
    return bytes(ImageCms.ImageCmsProfile(ImageCms.createProfile("sRGB")).tobytes())
