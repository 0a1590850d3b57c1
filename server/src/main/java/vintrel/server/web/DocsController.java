package vintrel.server.web;

import java.io.IOException;
import java.nio.charset.StandardCharsets;
import java.util.List;
import java.util.Map;
import org.commonmark.ext.gfm.tables.TablesExtension;
import org.commonmark.ext.heading.anchor.HeadingAnchorExtension;
import org.commonmark.parser.Parser;
import org.commonmark.renderer.html.HtmlRenderer;
import org.springframework.core.io.ClassPathResource;
import org.springframework.http.HttpStatus;
import org.springframework.stereotype.Controller;
import org.springframework.ui.Model;
import org.springframework.web.bind.annotation.GetMapping;
import org.springframework.web.bind.annotation.PathVariable;
import org.springframework.web.server.ResponseStatusException;

/** Shows documents of the folder docs. They are our own, so their HTML needs no cleaning. */
@Controller
class DocsController {
  private static final Map<String, String> TITLES =
      Map.of(
          "sending", "Sending data",
          "instrumenting", "Instrumenting an application",
          "collector", "Collectors",
          "query-language", "Query language",
          "definitions", "Definition files");

  private static final Parser PARSER =
      Parser.builder().extensions(List.of(TablesExtension.create())).build();
  private static final HtmlRenderer RENDERER =
      HtmlRenderer.builder()
          .extensions(List.of(TablesExtension.create(), HeadingAnchorExtension.create()))
          .escapeHtml(true)
          .build();

  @GetMapping("/docs/{name}")
  String document(@PathVariable String name, Model model) throws IOException {
    if (!TITLES.containsKey(name)) {
      throw new ResponseStatusException(HttpStatus.NOT_FOUND);
    }
    var text =
        new ClassPathResource("docs/" + name + ".md").getContentAsString(StandardCharsets.UTF_8);
    model.addAttribute("title", TITLES.get(name));
    model.addAttribute("area", name.equals("query-language") ? "bench" : "collect");
    model.addAttribute("timeless", true);
    model.addAttribute("html", RENDERER.render(PARSER.parse(text)));
    return "layout/document";
  }
}
