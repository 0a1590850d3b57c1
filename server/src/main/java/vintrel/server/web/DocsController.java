package vintrel.server.web;

import jakarta.servlet.http.HttpServletRequest;
import java.io.IOException;
import java.nio.charset.StandardCharsets;
import java.util.Collections;
import java.util.LinkedHashMap;
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
import org.springframework.web.bind.annotation.ResponseBody;
import org.springframework.web.server.ResponseStatusException;
import org.springframework.web.servlet.support.ServletUriComponentsBuilder;

/** Shows documents of the folder docs. They are our own, so their HTML needs no cleaning. */
@Controller
class DocsController implements Places {
  /** In the order of the help menu. */
  static final Map<String, String> TITLES = titles();

  private static Map<String, String> titles() {
    var out = new LinkedHashMap<String, String>();
    out.put("sending", "Sending data");
    out.put("instrumenting", "Instrumenting an application");
    out.put("collector", "Collectors");
    out.put("query-language", "Query language");
    out.put("definitions", "Definition files");
    out.put("security", "Security");
    out.put(ApiReference.NAME, "API reference");
    return Collections.unmodifiableMap(out);
  }

  /** Where the documents' examples send; on a page it is where the page came from. */
  private static final String EXAMPLE = "http://localhost:8420";

  /** As the API has it, for those who have a session and no token. */
  private static final String SCHEMA = "/docs/definitions.schema.json";

  private static final Parser PARSER =
      Parser.builder().extensions(List.of(TablesExtension.create())).build();
  private static final HtmlRenderer RENDERER =
      HtmlRenderer.builder()
          .extensions(List.of(TablesExtension.create(), HeadingAnchorExtension.create()))
          .escapeHtml(true)
          .build();

  @GetMapping("/docs/{name}")
  String document(@PathVariable String name, Model model, HttpServletRequest request)
      throws IOException {
    if (!TITLES.containsKey(name)) {
      throw new ResponseStatusException(HttpStatus.NOT_FOUND);
    }
    var text =
        name.equals(ApiReference.NAME)
            ? ApiReference.markdown()
            : new ClassPathResource("docs/" + name + ".md")
                .getContentAsString(StandardCharsets.UTF_8);
    model.addAttribute("title", TITLES.get(name));
    model.addAttribute("area", name.equals("query-language") ? "bench" : "collect");
    model.addAttribute("timeless", true);
    var here = ServletUriComponentsBuilder.fromContextPath(request).build().toUriString();
    model.addAttribute("html", html(text, here));
    return "layout/document";
  }

  @Override
  public List<Place> places() {
    return TITLES.entrySet().stream()
        .map(e -> new Place("document", e.getValue(), "/docs/" + e.getKey()))
        .toList();
  }

  @GetMapping(value = SCHEMA, produces = "application/schema+json")
  @ResponseBody
  String schema() throws IOException {
    return new ClassPathResource(SCHEMA).getContentAsString(StandardCharsets.UTF_8);
  }

  /**
   * A document as part of a page: links to its neighbours in the folder lead to their pages.
   *
   * @param here the address of this server
   */
  static String html(String text, String here) {
    return RENDERER
        .render(PARSER.parse(text.replace(EXAMPLE, here)))
        .replaceAll("href=\"([a-z-]+)\\.md([#\"])", "href=\"/docs/$1$2")
        .replace("href=\"definitions.schema.json\"", "href=\"" + SCHEMA + "\"")
        .replace("href=\"/api/v1/schema/definitions.json\"", "href=\"" + SCHEMA + "\"");
  }
}
