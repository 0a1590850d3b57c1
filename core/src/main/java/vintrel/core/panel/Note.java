package vintrel.core.panel;

import java.util.List;
import java.util.regex.Pattern;
import org.commonmark.ext.gfm.tables.TablesExtension;
import org.commonmark.node.Document;
import org.commonmark.node.Paragraph;
import org.commonmark.node.Text;
import org.commonmark.parser.Parser;
import org.commonmark.renderer.html.HtmlRenderer;
import org.commonmark.renderer.text.TextContentRenderer;
import vintrel.core.query.compute.Frames;
import vintrel.core.unit.Units;

/** A text in Markdown (CommonMark, with tables); {@code {line}} stands for a line's last value. */
public record Note(
    @Setting(value = "The text, as Markdown.", group = "Text", most = 20_000) String text)
    implements PanelKind {
  public static final Note DEFAULT = new Note("");

  private static final Pattern LINE = Pattern.compile("\\{([A-Za-z_][A-Za-z0-9_]*)}");

  private static final Parser PARSER =
      Parser.builder().extensions(List.of(TablesExtension.create())).build();

  /**
   * Markup that people type is shown as text; addresses are http, https, mailto or of this site.
   */
  private static final HtmlRenderer HTML =
      HtmlRenderer.builder()
          .extensions(List.of(TablesExtension.create()))
          .escapeHtml(true)
          .sanitizeUrls(true)
          .build();

  @Override
  public String word() {
    return "note";
  }

  @Override
  public String title() {
    return "Note";
  }

  @Override
  public Question question() {
    return Question.NONE;
  }

  @Override
  public Need need() {
    return Need.NOTHING;
  }

  /** A text as safe HTML. */
  public static String html(String markdown) {
    try {
      return HTML.render(PARSER.parse(markdown));
    } catch (StackOverflowError e) {
      // Quotes, lists and emphasis can nest: what is too deep for its reader is shown as it was
      // typed.
      var document = new Document();
      var paragraph = new Paragraph();
      paragraph.appendChild(new Text(markdown));
      document.appendChild(paragraph);
      return HTML.render(document);
    }
  }

  private static String plain(String markdown) {
    try {
      return TextContentRenderer.builder().build().render(PARSER.parse(markdown));
    } catch (StackOverflowError e) {
      return markdown;
    }
  }

  @Override
  public Drawing draw(Asked asked) {
    var m = LINE.matcher(text);
    var filled =
        m.replaceAll(
            r -> java.util.regex.Matcher.quoteReplacement(value(asked, r.group(1), r.group())));
    return new Drawing.Text(word(), plain(filled), html(filled));
  }

  private static String value(Asked asked, String line, String otherwise) {
    for (var frame : asked.frames()) {
      if (frame.name().equals(line) && !frame.numbers().isEmpty()) {
        var n = frame.numbers().getFirst();
        return Units.format(Frames.last(n.values()), asked.unitOf(n.unit()));
      }
    }
    return otherwise;
  }
}
