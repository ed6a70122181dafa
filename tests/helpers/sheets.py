"""Spreadsheets as bytes, written by hand: the few members that a reader needs."""

import zipfile
from io import BytesIO
from xml.sax.saxutils import escape

_TYPES = (
    '<Types xmlns="http://schemas.openxmlformats.org/package/2006/content-types">'
    '<Default Extension="rels" ContentType="application/vnd.openxmlformats-package.relationships+xml"/>'
    '<Override PartName="/xl/workbook.xml" '
    'ContentType="application/vnd.openxmlformats-officedocument.spreadsheetml.sheet.main+xml"/>'
    '<Override PartName="/xl/worksheets/sheet1.xml" '
    'ContentType="application/vnd.openxmlformats-officedocument.spreadsheetml.worksheet+xml"/></Types>'
)
_OFFICE = "http://schemas.openxmlformats.org/officeDocument/2006/relationships"
_MAIN = "http://schemas.openxmlformats.org/spreadsheetml/2006/main"
_RELATIONS = "http://schemas.openxmlformats.org/package/2006/relationships"


def spreadsheet(name, rows):
    """The bytes of an .xlsx or .ods file with one sheet; numbers are kept as numbers."""
    return _ods(rows) if name.endswith(".ods") else _xlsx(rows)


def _zipped(members):
    out = BytesIO()
    with zipfile.ZipFile(out, "w") as archive:
        for path, text in members.items():
            archive.writestr(path, text)
    return out.getvalue()


def _xlsx(rows):
    lines = []
    for number, row in enumerate(rows, start=1):
        cells = "".join(_cell(f"{chr(65 + column)}{number}", value) for column, value in enumerate(row))
        lines.append(f'<row r="{number}">{cells}</row>')
    relation = f'<Relationship Id="r1" Type="{_OFFICE}/{{}}" Target="{{}}"/></Relationships>'
    head = f'<Relationships xmlns="{_RELATIONS}">'
    return _zipped(
        {
            "[Content_Types].xml": _TYPES,
            "_rels/.rels": head + relation.format("officeDocument", "xl/workbook.xml"),
            "xl/workbook.xml": f'<workbook xmlns="{_MAIN}" xmlns:r="{_OFFICE}"><sheets>'
            '<sheet name="Parts" sheetId="1" r:id="r1"/></sheets></workbook>',
            "xl/_rels/workbook.xml.rels": head + relation.format("worksheet", "worksheets/sheet1.xml"),
            "xl/worksheets/sheet1.xml": f'<worksheet xmlns="{_MAIN}"><sheetData>{"".join(lines)}</sheetData></worksheet>',
        }
    )


def _cell(where, value):
    if isinstance(value, str):
        return f'<c r="{where}" t="inlineStr"><is><t>{escape(value)}</t></is></c>'
    return f'<c r="{where}"><v>{value}</v></c>'


def _ods(rows):
    names = "urn:oasis:names:tc:opendocument:xmlns:"
    lines = "".join(f"<table:table-row>{''.join(map(_ods_cell, row))}</table:table-row>" for row in rows)
    content = (
        f'<office:document-content xmlns:office="{names}office:1.0" xmlns:table="{names}table:1.0" '
        f'xmlns:text="{names}text:1.0"><office:body><office:spreadsheet><table:table table:name="Parts">{lines}'
        "</table:table></office:spreadsheet></office:body></office:document-content>"
    )
    manifest = f'<manifest:manifest xmlns:manifest="{names}manifest:1.0"/>'
    kind = "application/vnd.oasis.opendocument.spreadsheet"
    return _zipped({"mimetype": kind, "content.xml": content, "META-INF/manifest.xml": manifest})


def _ods_cell(value):
    if isinstance(value, str):
        text = f"<text:p>{escape(value)}</text:p>"
        return f'<table:table-cell office:value-type="string">{text}</table:table-cell>'
    return f'<table:table-cell office:value-type="float" office:value="{value}"><text:p>{value}</text:p></table:table-cell>'
