"""Formulas, code, diagrams and tables as readers see them."""

from __future__ import annotations

import re
from xml.etree import ElementTree

import pytest
from hypothesis import given
from hypothesis import strategies as st

from mokuji.core.base.edits import apply
from mokuji.core.formulas.formulas import formula
from mokuji.core.html.code import coloured
from mokuji.core.html.html import words_of
from mokuji.core.language.page import Page, PageHead
from mokuji.core.language.scan import scan
from mokuji.core.reports.formulas import formula_problems
from mokuji.core.style.flaws import flaws
from mokuji.core.syntax.fences import Info, info
from tests.core.showing import shown_text

TABLE = "| Lamp | Means | Do |\n|---|---|---|\n"


def _page(text: str) -> Page:
    return Page(PageHead(1, 1, "p", "P"), text)


@pytest.mark.parametrize(
    ("latex", "mathml"),
    [
        (r"\frac{a}{2}", "<mfrac><mrow><mi>a</mi></mrow><mrow><mn>2</mn></mrow></mfrac>"),
        (r"x_1^2", "<msubsup><mi>x</mi><mn>1</mn><mn>2</mn></msubsup>"),
        (r"\sqrt[3]{x}", "<mroot><mrow><mi>x</mi></mrow><mn>3</mn></mroot>"),
        (r"\rho", "<mi>ρ</mi>"),
        (r"a < b", "<mi>a</mi><mo>&lt;</mo><mi>b</mi>"),
        (r"\mathrm{d}x", '<mi mathvariant="normal">d</mi><mi>x</mi>'),
        (r"\Omega", '<mi mathvariant="normal">Ω</mi>'),
        (r"\text{<b>}", "<mtext>&lt;b&gt;</mtext>"),
        (r"\mathrm{Re}", '<mrow><mi mathvariant="normal">R</mi><mi mathvariant="normal">e</mi></mrow>'),
        (r"\mathbf{Fm}", "<mrow><mi>𝐅</mi><mi>𝐦</mi></mrow>"),
        (r"\mathbb{R}", "<mi>ℝ</mi>"),
        (r"x\label{eq:one}", "<mi>x</mi>"),
        (r"\num{2e-3}", "<mn>2</mn><mo>×</mo><msup><mn>10</mn><mrow><mo>−</mo><mn>3</mn></mrow></msup>"),
    ],
)
def test_latex_comes_out_as_mathml_with_its_source(latex: str, mathml: str) -> None:
    made = formula(latex, display=False)
    assert not made.fault
    source = latex.replace("&", "&amp;").replace("<", "&lt;").replace(">", "&gt;")
    assert made.mathml == (
        f"<math><semantics><mrow>{mathml}</mrow>"
        f'<annotation encoding="application/x-tex">{source}</annotation></semantics></math>'
    )


@pytest.mark.parametrize(
    ("latex", "said"),
    [
        (r"\fracture{a}{b}", "“\\fracture”"),
        (r"\frac{a}", "lacks one of its parts"),
        (r"x^", "Nothing stands behind|breaks off"),
        ("{a", "not closed"),
        (r"a}\{", "not opened"),
        ("a^b^c", "two superscripts"),
        (r"\left( a", "do not pair up"),
        (r"\begin{figure}a\end{figure}", "figure"),
        (r"\newcommand{\x}{y}\x", "defines nothing"),
        ("{" * 1500 + "}" * 1500, "nested too deep"),
        ("x" * 5000, "4000"),
        (" ", "empty"),
        (r"\cancel{x}", "no form"),
    ],
)
def test_latex_that_is_not_understood_is_said_and_shown_as_typed(latex: str, said: str) -> None:
    made = formula(latex, display=False)
    assert not made.mathml
    assert any(each in made.fault for each in said.split("|")), made.fault


@given(st.text(alphabet="\\abfrclet{}^_&$()[]<>\"'1 αΩ\n", max_size=60))
def test_whatever_stands_in_a_formula_no_element_comes_out_that_is_no_mathml(latex: str) -> None:
    made = formula(latex, display=True)
    assert bool(made.mathml) != bool(made.fault)
    if made.mathml:
        names = {element.tag for element in ElementTree.fromstring(made.mathml).iter()}
        assert all(name in {"math", "semantics", "annotation"} or name.startswith("m") for name in names)
        assert " on" not in re.sub(r"<annotation.*", "", made.mathml)


def _read(latex: str) -> str:
    """The letters of a formula as they stand one after the other, indices in brackets."""
    made = formula(latex, display=True)
    assert not made.fault, made.fault
    inner = re.sub(r"<annotation.*", "", made.mathml)
    inner = re.sub(r'<mspace width="0.167em"></mspace>', " ", inner)
    return re.sub(r"<[^>]+>", "", inner)


@pytest.mark.parametrize(
    ("latex", "read"),
    [
        # Symbols and powers: The International System of Units (BIPM, 9th edition), chapter 5.
        (r"\SI{12.5}{\kilo\newton\metre}", "12.5 kN m"),
        (r"\SI{9.81}{\metre\per\second\squared}", "9.81 m s−2"),
        (r"\qty{3}{\watt\per\square\metre}", "3 W m−2"),
        (r"\si{\kilo\watt\hour}", "kW h"),
        (r"\unit{kg.m/s^2}", "kg m/s2"),
        (r"\SI{20}{\celsius}", "20 ∘C"),
        (r"\SI{5}{\furlong}", "5 furlong"),
        (r"\ang{45}", "45∘"),
        (r"\ce{H2O}", "H2O"),
        (r"\ce{2H2 + O2 -> 2H2O}", "2 H2+O2→2 H2O"),
        (r"\ce{SO4^2- + Ba^2+ <=> BaSO4 (s)}", "SO42−+Ba2+⇌BaSO4 (s)"),
        (r"\ce{Ca(OH)2}", "Ca(OH)2"),
    ],
)
def test_chemical_formulas_and_quantities_keep_their_text(latex: str, read: str) -> None:
    assert _read(latex) == read


def test_tables_of_formulas_keep_their_rules_and_lines_in_line() -> None:
    ruled = formula(r"\begin{array}{c|cc}a&b&c\\\hline d&e&f\end{array}", display=True).mathml
    assert ruled.count("line-behind") == 2 and ruled.count("line-below") == 3
    for name in ("aligned", "align", "split", "align*"):
        lines = formula(rf"\begin{{{name}}}a&=b\\c&=d+e\end{{{name}}}", display=True).mathml
        assert '<mtable class="in-line"' in lines and lines.count("<mtr>") == 2, name
        assert lines.count('class="to-right"') == lines.count('class="to-left"') == 2 and "(1)" not in lines
    assert "&amp;" not in re.sub("<annotation.*", "", lines)


def test_limits_stand_below_and_bars_of_determinants_are_as_high_as_they() -> None:
    assert '<munder><mo movablelimits="true">lim</mo>' in formula(r"\lim_{h\to 0} f", display=True).mathml
    bars = formula(r"\det\begin{vmatrix}a\end{vmatrix} |Z|", display=True).mathml
    assert bars.count('stretchy="true"') == 2 and bars.count('lspace="0"') == 2


def test_a_brace_that_is_not_closed_is_found_where_the_formula_stands() -> None:
    text = "See $\\frac{1}{2$ and ${a}$, 5 $ {x $ and \\$a_{1\\$."
    (flaw,) = [each for each in flaws(_page(text)) if each.code == "formula_brace"]
    assert flaw.span.of(text) == "$\\frac{1}{2$"
    assert flaw.mend is not None and apply(text, flaw.mend.edits).startswith("See $\\frac{1}{2}$ and")


def test_a_formula_stands_in_a_line_or_by_itself_and_a_wrong_one_is_a_problem_at_its_place() -> None:
    html = shown_text("So $a$ and\n\n$$b$$\n\nbut $\\nothing$.")
    assert "<p>So <math><semantics>" in html and '<math display="block">' in html
    assert '<code class="math" title="“\\nothing” is not understood.">\\nothing</code>' in html
    text = "---\na: é\n---\nö $\\nothing$ $ok$"
    read = scan(text)
    (problem,) = formula_problems(read)
    assert not read.problems, "a text is read without typesetting its formulas"
    assert problem.code == "formula" and problem.span.of(text) == "$\\nothing$"


def test_money_and_slots_are_no_formulas() -> None:
    assert "<math" not in shown_text("From 5 $ to 10 $ a piece.")
    text = "---\nslots: [u]\n---\n$${u}/2$ and $x$"
    assert [each.source for each in scan(text).formulas] == ["x"]
    assert shown_text(text).count("<math>") == 1


def test_a_diagram_that_holds_a_slot_is_not_drawn_before_it_is_filled() -> None:
    text = "---\nslots: [to]\n---\n```dot\ndigraph { a -> ${to} }\n```\n\n```dot\ndigraph { a -> b }\n```\n"
    assert [each.source for each in scan(text).diagrams] == ["digraph { a -> b }\n"]


def test_slots_in_lines_counted_with_letters_are_kept_when_they_are_numbered() -> None:
    page = _page("---\nslots: [u]\n---\na) at ${u}\nb) off\n")
    (flaw,) = [each for each in flaws(page) if each.code == "list_letters"]
    assert flaw.mend is not None
    assert apply(page.text, flaw.mend.edits).endswith("1. at ${u}\n2. off\n")


def test_what_only_machines_read_is_not_among_the_words() -> None:
    assert words_of(formula("x", display=False).mathml).split() == ["x"]


def test_code_is_coloured_by_its_language_and_plain_without_one() -> None:
    html = shown_text("```python\ndef f(): return '<'\n```\n\n```unheard-of\na < b\n```\n")
    assert (
        '<code data-language="python"><span class="c-word">def</span> <span class="c-known">f</span>' in html
    )
    assert '<code data-language="unheard-of">a &lt; b\n</code>' in html
    assert coloured("x" * 30_000, "python") is None


@given(
    st.text(max_size=200), st.sampled_from(["python", "json", "html", "console", "diff", "yaml", "c", "sql"])
)
def test_colours_change_no_character_of_code(code: str, language: str) -> None:
    made = coloured(code + "\n", language)
    if made is None:
        return  # a lexer would have lost something
    plain = re.sub(r'<span class="c-\w+">|</span>', "", made)
    assert plain.replace("&lt;", "<").replace("&gt;", ">").replace("&amp;", "&") == code + "\n"


def test_a_slot_in_code_survives_every_language() -> None:
    for language in ("json", "python", "console", "diff", "html"):
        html = shown_text(f"---\nslots: [u]\n---\n```{language}\nx = ${{u}}\n```\n")
        assert '<span class="slot">${u}</span>' in html, language


@pytest.mark.parametrize(
    ("typed", "read"),
    [
        ("dot", Info("dot")),
        ("sh Start it | What each line does", Info("sh", "Start it", "What each line does")),
        ("sh | Only words", Info("sh", "", "Only words")),
        ("js {numbered}", Info("js")),
        ("", Info("")),
    ],
)
def test_behind_the_language_stand_a_caption_and_words(typed: str, read: Info) -> None:
    assert info(typed) == read


def test_a_caption_stands_above_its_code() -> None:
    html = shown_text("```sh Start & stop\nls\n```\n")
    assert (
        '<figure class="code"><figcaption>Start &amp; stop</figcaption><pre><code data-language="sh">' in html
    )
    assert html.count("<figure") == html.count("</figure>") == 1


def test_a_diagram_is_found_with_its_lines_wherever_it_stands() -> None:
    listed = "1. x\n\n   ```dot Way | Words\n   digraph {\n     a -> b\n   }\n   ```\n"
    text = f"---\na: é\n---\nö\n\n{listed}\n> ```dot\n> graph {{}}\n> ```\n"
    one, other = _page(text).content.diagrams
    assert one.source == "digraph {\n  a -> b\n}\n" and one.info == Info("dot", "Way", "Words")
    assert [line.of(text).strip() for line in one.lines] == ["digraph {", "a -> b", "}"]
    assert one.opening.of(text) == "```dot Way | Words"
    assert other.source == "graph {}\n" and other.lines[0].of(text) == "graph {}"
    assert "<D:digraph {\n  a -> b\n}|Way|Words>" in shown_text(text)
    (flaw,) = [each for each in flaws(_page(text)) if each.code == "diagram_bare"]
    assert flaw.span == other.opening


def test_cells_with_a_ditto_mark_are_one_with_the_cell_above() -> None:
    html = shown_text(
        TABLE + '| green | full | nothing |\n| blue | " | " |\n| red | " | charge |\n| none | " | " |\n'
    )
    assert html.count("<td>") + html.count("<td ") == 7
    assert '<td rowspan="4">full</td>' in html
    assert '<td rowspan="2">nothing</td>' in html and '<td rowspan="2">charge</td>' in html


def test_two_ditto_marks_make_a_cell_wide_and_with_single_ones_below_a_rectangle() -> None:
    table = '| a | "" | b |\n|---|:-:|---|\n| c | "" | 1 |\n| " | " | 2 |\n| " | "" | 3 |\n| d | 4 | "" |\n'
    html = shown_text(table)
    assert '<th colspan="2">a</th>' in html and '<td rowspan="3" colspan="2">c</td>' in html
    assert (
        '<td align="center" colspan="2">4</td>' in html
        or '<td class="text-center" colspan="2">4</td>' in html
    )
    # Each row fills the three columns: HTML Living Standard, 4.9.12 (forming a table).
    assert html.count("<td") == 6


def test_ditto_marks_that_cover_no_rectangle_are_text() -> None:
    html = shown_text('| a | b |\n|---|---|\n| c | "" |\n| " | x |\n| "" | y |\n')
    assert '<td colspan="2">c</td>' in html and "rowspan" not in html
    assert html.count("&quot;") + html.count('>"') >= 2


def test_a_ditto_mark_with_nothing_above_it_or_with_words_beside_it_is_text() -> None:
    html = shown_text(TABLE + '| " | 5" | `"` |\n| x | " y | " |\n')
    assert "<td>&quot;</td>" in html.replace('"', "&quot;") or '<td>"</td>' in html
    assert html.count("rowspan") == 1 and '<td rowspan="2"><code>' in html


def test_lists_in_lists_stay_ordered_lists_with_their_starts() -> None:
    html = shown_text("3. a\n   1. b\n      1. c\n4. d\n")
    assert '<ol start="3">' in html and html.count("<ol") == 3
