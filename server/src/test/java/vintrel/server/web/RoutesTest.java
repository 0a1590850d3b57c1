package vintrel.server.web;

import static org.assertj.core.api.Assertions.assertThat;
import static org.springframework.security.test.web.servlet.request.SecurityMockMvcRequestPostProcessors.csrf;
import static org.springframework.security.test.web.servlet.request.SecurityMockMvcRequestPostProcessors.user;
import static org.springframework.security.test.web.servlet.setup.SecurityMockMvcConfigurers.springSecurity;
import static org.springframework.test.web.servlet.request.MockMvcRequestBuilders.request;

import java.util.ArrayList;
import java.util.List;
import java.util.Set;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.extension.RegisterExtension;
import org.springframework.http.HttpMethod;
import org.springframework.test.web.servlet.MockMvc;
import org.springframework.test.web.servlet.setup.MockMvcBuilders;
import org.springframework.web.context.WebApplicationContext;
import org.springframework.web.servlet.mvc.method.annotation.RequestMappingHandlerMapping;
import vintrel.server.RunningServer;

/** Walks every route with every role. A route that this table does not know fails the test. */
class RoutesTest {
  @RegisterExtension static final RunningServer server = new RunningServer();

  private static final Set<String> OPEN =
      Set.of("GET /health/ready", "GET /health/live", "GET /signin");
  private static final Set<String> EDITORS =
      Set.of(
          "POST /watch/alerts/{id}/acknowledge",
          "POST /watch/rules/{name}/resume",
          "POST /watch/rules/save",
          "POST /watch/alerts/acknowledge",
          "POST /watch/alerts/take-back",
          "POST /watch/alerts/shelve",
          "POST /watch/alerts/unshelve",
          "POST /watch/alerts/assign",
          "POST /watch/alerts/note",
          "POST /watch/rules/{name}/pause",
          "POST /watch/rules/{name}/delete",
          "POST /dashboards",
          "GET /dashboards/{name}/document",
          "POST /dashboards/{name}/draft",
          "POST /dashboards/{name}/sheet",
          "POST /dashboards/{name}/fit",
          "GET /dashboards/import",
          "POST /dashboards/import",
          "POST /dashboards/{name}/save",
          "POST /dashboards/{name}/save-copy",
          "POST /dashboards/{name}/merge",
          "POST /dashboards/{name}/offers",
          "POST /dashboards/several",
          "POST /dashboards/{name}/about",
          "POST /dashboards/{name}/copy",
          "POST /dashboards/{name}/delete",
          "POST /collect/import",
          "POST /collect/connect/token",
          "GET /collect/connect/arrival",
          "POST /collect/connect/dashboard",
          "POST /collect/connect/rule",
          "GET /collect/jobs/edit",
          "GET /collect/checks/edit",
          "POST /collect/elsewhere/{name}/test",
          "POST /notify/recipients/{name}/test",
          "GET /collect/collectors/edit",
          "POST /collect/collectors",
          "POST /collect/collectors/check",
          "POST /collect/collectors/{name}/delete",
          "POST /collect/checks",
          "POST /collect/checks/try",
          "POST /collect/checks/{name}/delete",
          "POST /collect/checks/{name}/pause",
          "POST /collect/checks/{name}/resume",
          "POST /collect/checks/{name}/rule",
          "POST /collect/checks/{name}/run",
          "POST /collect/jobs",
          "POST /collect/resources",
          "POST /collect/resources/preview",
          "POST /collect/jobs/preview",
          "POST /collect/jobs/read",
          "POST /collect/jobs/{name}/delete",
          "POST /collect/jobs/{name}/pause",
          "POST /collect/jobs/{name}/resume",
          "POST /definitions/{kind}/{name}/restore",
          "POST /collect/stores",
          "POST /collect/stores/{name}",
          "POST /collect/source/dashboard",
          "POST /collect/source/rule",
          "POST /bench/panel",
          "POST /notify/recipients/{name}/message",
          "POST /notify/deliveries/{id}/resend");
  private static final Set<String> ADMINS =
      Set.of(
          "POST /collect/elsewhere",
          "POST /collect/elsewhere/{name}/remove",
          "POST /collect/tokens",
          "POST /collect/tokens/{id}/revoke",
          "POST /collect/tokens/{id}/rotate");
  private static final Set<String> VIEWERS =
      Set.of(
          "GET /",
          "GET /bench",
          "GET /bench/catalogue",
          "GET /bench/choices",
          "GET /bench/dashboards",
          "GET /bench/databases",
          "GET /bench/events",
          "GET /bench/reference",
          "GET /docs/{name}",
          "GET /docs/definitions.schema.json",
          "GET /dashboards/{name}/panels/{id}/bench",
          "GET /dashboards/{name}/panels/{id}/watch",
          "GET /bench/tables",
          "POST /bench/answer",
          "POST /bench/complete",
          "POST /bench/csv",
          "POST /bench/end",
          "POST /bench/events/answer",
          "POST /bench/events/around",
          "POST /bench/samples",
          "POST /bench/statement",
          "POST /queries/edit",
          "POST /queries/outline",
          "POST /prefs/zone",
          "POST /dashboards/{name}/panels/{id}/csv",
          "GET /collect/elsewhere",
          "GET /collect",
          "GET /collect/sources",
          "GET /collect/source",
          "GET /collect/connect",
          "GET /collect/jobs",
          "GET /collect/resources",
          "GET /collect/checks",
          "GET /collect/collectors",
          "GET /collect/collectors/list",
          "GET /collect/checks/list",
          "GET /collect/jobs/targets",
          "GET /definitions/{kind}/{name}",
          "GET /collect/tokens",
          "GET /collect/import",
          "GET /collect/import/{id}",
          "GET /collect/import/{id}/rejected.txt",
          "GET /collect/stores",
          "GET /dashboards",
          "GET /dashboards/export",
          "POST /dashboards/{name}/star",
          "GET /dashboards/{name}/card",
          "GET /dashboards/{name}",
          "POST /dashboards/{name}/panels/{id}",
          "GET /goto",
          "GET /lamp",
          "GET /notify",
          "GET /notify/deliveries",
          "GET /notify/try",
          "GET /password",
          "POST /password",
          "POST /password/others",
          "GET /rail",
          "GET /rail/range",
          "GET /watch",
          "GET /watch/alerts/{id}",
          "GET /watch/list",
          "GET /watch/alerts/{id}/course",
          "GET /watch/rules",
          "GET /watch/rules/{name}",
          "GET /watch/rules/new",
          "POST /watch/rules/rehearsal",
          "POST /watch/rules/trade-off");

  private static List<String> routes() {
    var out = new ArrayList<String>();
    var mapping =
        server
            .context()
            .getBean("requestMappingHandlerMapping", RequestMappingHandlerMapping.class);
    mapping
        .getHandlerMethods()
        .forEach(
            (info, method) -> {
              if (method.getBeanType().getPackageName().startsWith("vintrel")) {
                for (var verb : info.getMethodsCondition().getMethods()) {
                  info.getPatternValues().forEach(p -> out.add(verb + " " + p));
                }
              }
            });
    return out;
  }

  private static MockMvc mvc() {
    return MockMvcBuilders.webAppContextSetup((WebApplicationContext) server.context())
        .apply(springSecurity())
        .build();
  }

  private static int rank(String route) {
    return OPEN.contains(route)
        ? 0
        : VIEWERS.contains(route)
            ? 1
            : EDITORS.contains(route) ? 2 : ADMINS.contains(route) ? 3 : -1;
  }

  @Test
  void everyPageRouteIsOpenToItsRolesAndToNobodyElse() throws Exception {
    var mvc = mvc();
    var roles = List.of("", "VIEWER", "EDITOR", "ADMIN");
    for (var route : routes()) {
      var path = route.substring(route.indexOf(' ') + 1);
      if (path.startsWith("/api/") || path.startsWith("/v1/")) {
        continue;
      }
      assertThat(rank(route)).as("the least role of %s", route).isGreaterThanOrEqualTo(0);
      for (int r = 0; r < roles.size(); r++) {
        var verb = HttpMethod.valueOf(route.substring(0, route.indexOf(' ')));
        var request = request(verb, path.replaceAll("\\{[^}]+}", "1")).with(csrf());
        if (r > 0) {
          request = request.with(user("kim").roles(roles.get(r)));
        }
        var response = mvc.perform(request).andReturn().getResponse();
        boolean refused =
            response.getStatus() == 401
                || response.getStatus() == 403
                || (response.getStatus() == 302
                    && String.valueOf(response.getRedirectedUrl()).endsWith("/signin"));
        assertThat(refused)
            .as("%s as '%s' answers %d", route, roles.get(r), response.getStatus())
            .isEqualTo(r < rank(route));
      }
    }
  }

  @Test
  void everyApiRouteNeedsATokenOfItsScope() {
    var ingest = token(TokenCheck.Scope.INGEST);
    var read = token(TokenCheck.Scope.READ);
    for (var route : routes()) {
      var path = route.substring(route.indexOf(' ') + 1);
      if (!path.startsWith("/api/") && !path.startsWith("/v1/")) {
        continue;
      }
      boolean sends = path.startsWith("/v1/") || path.matches("/api/v1/(samples|import)");
      boolean defines =
          route.startsWith("DELETE ")
              || route.startsWith("PUT ")
              || path.startsWith("/api/v1/people")
              || route.startsWith("POST ")
                  && path.matches(
                      "/api/v1/(definitions(/.*)?|backup|tokens|stores|shelves|alerts/.*)");
      assertThat(status(route, null)).as(route + " without a token").isEqualTo(401);
      assertThat(status(route, "wrong")).as(route + " with a wrong token").isEqualTo(401);
      assertThat(status(route, ingest) == 403)
          .as(route + " with a sending token")
          .isEqualTo(!sends && !path.startsWith("/api/v1/collectors/"));
      assertThat(status(route, read) == 403)
          .as(route + " with a reading token")
          .isEqualTo(sends || defines);
      assertThat(status(route, RunningServer.TOKEN))
          .as(route + " with all rights")
          .isNotIn(401, 403);
    }
  }

  /** Each right alone opens what it is for, and nothing else. */
  @Test
  void everyRightOpensItsRoutesAlone() {
    var tokens = server.bean(vintrel.server.access.Tokens.class);
    for (var right : TokenCheck.Right.values()) {
      var spec = new vintrel.server.access.TokenSpec("only-" + right, Set.of(right), "");
      var token = tokens.create(spec, "test").token();
      for (var route : routes()) {
        var path = route.substring(route.indexOf(' ') + 1);
        if (!path.startsWith("/api/") && !path.startsWith("/v1/")) {
          continue;
        }
        boolean definitions = path.startsWith("/api/v1/definitions");
        boolean changes =
            path.matches("/api/v1/(backup|tokens|people(/.*)?)")
                || route.equals("POST /api/v1/stores")
                || route.equals("POST /api/v1/shelves")
                || route.startsWith("POST /api/v1/alerts/")
                || route.startsWith("DELETE ")
                || route.startsWith("PUT ");
        boolean may =
            switch (right) {
              case EVENTS -> path.equals("/v1/logs");
              case METRICS ->
                  path.startsWith("/v1/") && !path.equals("/v1/logs")
                      || path.matches("/api/v1/(samples|import|collectors/.*)");
              case DEFINE -> definitions;
              case READ ->
                  !path.startsWith("/v1/")
                      && !path.matches("/api/v1/(samples|import)")
                      && !changes
                      && !(definitions && route.startsWith("POST "));
            };
        assertThat(status(route, token) == 403).as("%s with %s", route, right).isEqualTo(!may);
      }
    }
  }

  /** What concerns all stores is not for a token that is bound to one, whatever its scope. */
  @Test
  void everyApiRouteKeepsBoundTokensToTheirStore() {
    server.post(
        "/api/v1/samples",
        "application/json",
        "{\"metric\": \"marker.m\", \"value\": 1, \"labels\": {\"where\": \"onlyinmain\"}}");
    server.post(
        "/api/v1/definitions",
        "application/yaml",
        "kind: recipient\nname: marker\nchannels: [{webhook: 'https://h.example/markersecret'}]\n");
    var ofAll =
        List.of(
            "GET /api/v1/alerts",
            "GET /api/v1/alerts/{id}",
            "GET /api/v1/deliveries",
            "GET /api/v1/shelves",
            "GET /api/v1/people",
            "GET /api/v1/definitions",
            "GET /api/v1/definitions/{kind}/{name}",
            "GET /api/v1/definitions/{kind}/{name}/history",
            "GET /api/v1/stores");
    var tokens = server.bean(vintrel.server.access.Tokens.class);
    for (var scope : TokenCheck.Scope.values()) {
      var bound = tokens.make("bound-" + scope, scope, "lab", "test");
      for (var route : routes()) {
        var path = route.substring(route.indexOf(' ') + 1);
        if (!path.startsWith("/api/") && !path.startsWith("/v1/")) {
          continue;
        }
        // A collector takes its configuration with the token that it sends with.
        boolean sends =
            path.startsWith("/v1/") || path.matches("/api/v1/(samples|import|collectors/.*)");
        boolean changes =
            !sends
                && !route.startsWith("GET ")
                && !route.equals("POST /api/v1/query")
                && !route.equals("POST /api/v1/fit");
        boolean may =
            !changes
                && !ofAll.contains(route)
                && (scope == TokenCheck.Scope.ALL || sends == (scope == TokenCheck.Scope.INGEST));
        var answer = answer(route, bound);
        assertThat(answer.statusCode() == 403)
            .as("%s with %s of a store: %s", route, scope, answer.statusCode())
            .isEqualTo(!may);
        assertThat(answer.body())
            .as("%s with %s of a store", route, scope)
            .doesNotContain("onlyinmain", "marker");
      }
    }
  }

  /** Whoever asks: secrets, hashes and passwords are in no answer. */
  @Test
  void noAnswerHoldsASecret() {
    var made = server.post("/api/v1/tokens?name=seen&scope=READ", "application/json", "").body();
    var token = made.replaceFirst(".*(vt_[A-Za-z0-9_-]+).*", "$1");
    server.post(
        "/api/v1/definitions",
        "application/yaml",
        "kind: recipient\nname: kept\nchannels: [{chat: 'https://h.example/keptsecret'}]\n");
    for (var route : routes()) {
      if (route.startsWith("GET /api/")) {
        assertThat(answer(route, RunningServer.TOKEN).body())
            .as(route)
            .doesNotContain(token, "keptsecret", "$2a$", RunningServer.TOKEN);
      }
    }
    var admin = new vintrel.server.Pages(server, "ADMIN");
    for (var page :
        List.of(
            "/collect",
            "/collect/tokens",
            "/collect/connect",
            "/collect/jobs",
            "/collect/resources",
            "/collect/checks",
            "/notify",
            "/collect/elsewhere",
            "/password")) {
      var text =
          admin.text(org.springframework.test.web.servlet.request.MockMvcRequestBuilders.get(page));
      assertThat(text).as(page).doesNotContain(token, "keptsecret", "$2a$");
    }
  }

  private static String token(TokenCheck.Scope scope) {
    return server.bean(vintrel.server.access.Tokens.class).make("t-" + scope, scope, "", "test");
  }

  private static int status(String route, String token) {
    return answer(route, token).statusCode();
  }

  private static java.net.http.HttpResponse<String> answer(String route, String token) {
    var path = route.substring(route.indexOf(' ') + 1).replaceAll("\\{[^}]+}", "x");
    var request =
        java.net.http.HttpRequest.newBuilder(java.net.URI.create(server.base() + path))
            .header("Content-Type", "application/json")
            .method(
                route.substring(0, route.indexOf(' ')),
                java.net.http.HttpRequest.BodyPublishers.ofString(""));
    if (token != null) {
      request.header("Authorization", "Bearer " + token);
    }
    return server.send(request);
  }

  @Test
  void theApiDescribesEveryRouteOfItsOwn() {
    var described = server.send(server.to("/api/v1/openapi.json")).body();
    var paths = tools.jackson.databind.json.JsonMapper.shared().readTree(described).path("paths");
    for (var route : routes()) {
      var path = route.substring(route.indexOf(' ') + 1);
      if (path.startsWith("/api/") || path.startsWith("/v1/")) {
        var verb = route.substring(0, route.indexOf(' ')).toLowerCase(java.util.Locale.ROOT);
        assertThat(paths.path(path).has(verb)).as(route).isTrue();
      }
    }
  }

  @Test
  void pagesCarryAStrictPolicyAndChangesNeedTheirCsrfToken() throws Exception {
    var mvc = mvc();
    var page =
        mvc.perform(request(HttpMethod.GET, "/bench").with(user("kim").roles("VIEWER")))
            .andReturn()
            .getResponse();
    assertThat(page.getHeader("Content-Security-Policy")).isEqualTo(SecurityConfig.POLICY);
    assertThat(page.getContentAsString()).doesNotContain(" style=", "<style", "onclick=");
    var change =
        mvc.perform(
                request(HttpMethod.POST, "/bench/answer")
                    .param("query", "x")
                    .with(user("kim").roles("ADMIN")))
            .andReturn();
    assertThat(change.getResponse().getStatus()).isEqualTo(403);
  }

  @Test
  void anErrorShowsACodeAndNoTrace() {
    var answer = server.post("/api/v1/query", "application/json", "{\"query\": \"cpu then men\"}");
    assertThat(answer.statusCode()).isEqualTo(400);
    assertThat(answer.body())
        .contains("\"code\":\"syntax\"", "\"line\":1", "\"column\":10", "did you mean mean?");
    var broken = server.post("/api/v1/query", "application/json", "not json");
    assertThat(broken.statusCode()).isEqualTo(400);
    assertThat(broken.body()).doesNotContain("Exception", "at vintrel");
  }
}
