package vintrel.server.access;

import static org.assertj.core.api.Assertions.assertThat;
import static org.springframework.security.test.web.servlet.request.SecurityMockMvcRequestBuilders.formLogin;
import static org.springframework.security.test.web.servlet.request.SecurityMockMvcRequestPostProcessors.csrf;
import static org.springframework.security.test.web.servlet.setup.SecurityMockMvcConfigurers.springSecurity;
import static org.springframework.test.web.servlet.request.MockMvcRequestBuilders.get;
import static org.springframework.test.web.servlet.request.MockMvcRequestBuilders.post;

import java.net.URI;
import java.net.http.HttpRequest;
import java.net.http.HttpResponse;
import java.util.List;
import org.junit.jupiter.api.BeforeAll;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.extension.RegisterExtension;
import org.springframework.mock.web.MockHttpServletResponse;
import org.springframework.mock.web.MockHttpSession;
import org.springframework.test.web.servlet.MockMvc;
import org.springframework.test.web.servlet.request.AbstractMockHttpServletRequestBuilder;
import org.springframework.test.web.servlet.setup.MockMvcBuilders;
import org.springframework.web.context.WebApplicationContext;
import vintrel.server.RunningServer;
import vintrel.server.web.TokenCheck;

/** People are added, changed and disabled; their sessions follow at once. */
class PeopleTest {
  @RegisterExtension static final RunningServer server = new RunningServer();
  private static MockMvc mvc;

  @BeforeAll
  static void pages() {
    mvc =
        MockMvcBuilders.webAppContextSetup((WebApplicationContext) server.context())
            .apply(springSecurity())
            .build();
  }

  private static HttpResponse<String> api(String method, String path, String body, String token) {
    return server.send(
        HttpRequest.newBuilder(URI.create(server.base() + "/api/v1/people" + path))
            .header("Authorization", "Bearer " + token)
            .header("Content-Type", "application/json")
            .method(method, HttpRequest.BodyPublishers.ofString(body)));
  }

  private static HttpResponse<String> api(String method, String path, String body) {
    return api(method, path, body, RunningServer.TOKEN);
  }

  private static String password(HttpResponse<String> answer) {
    assertThat(answer.statusCode()).as(answer.body()).isEqualTo(200);
    return answer.body().replaceFirst("(?s).*\"password\":\"([^\"]+)\".*", "$1");
  }

  private static String add(String name, String role) {
    return password(api("POST", "", "{\"name\": \"%s\", \"role\": \"%s\"}".formatted(name, role)));
  }

  /** The session after signing in; null if it is refused. */
  private static MockHttpSession signIn(String name, String password) throws Exception {
    var result = mvc.perform(formLogin("/signin").user(name).password(password)).andReturn();
    return "/signin?error".equals(result.getResponse().getRedirectedUrl())
        ? null
        : (MockHttpSession) result.getRequest().getSession(false);
  }

  private static MockHttpServletResponse send(
      AbstractMockHttpServletRequestBuilder<?> request, MockHttpSession session) throws Exception {
    return mvc.perform(request.session(session).with(csrf())).andReturn().getResponse();
  }

  @Test
  void aPersonChoosesAPasswordWithoutTypingTheOneTimePasswordTwice() throws Exception {
    var once = add("ines", "viewer");
    assertThat(signIn("ines", "not " + once)).isNull();
    var session = signIn("ines", once);
    assertThat(send(get("/bench"), session).getRedirectedUrl()).isEqualTo("/password");
    assertThat(send(get("/password"), session).getContentAsString())
        .contains("New password")
        .doesNotContain("Current password");
    send(post("/password").param("wanted", "tern plover dunlin"), session);
    assertThat(send(get("/bench"), session).getStatus()).isEqualTo(200);
    assertThat(send(post("/bench/panel"), session).getStatus()).as("a viewer").isEqualTo(403);
    // From now on it takes the current one, in this session too.
    var refused = send(post("/password").param("wanted", "another long one here"), session);
    assertThat(refused.getContentAsString()).contains("current password is wrong");
    assertThat(signIn("ines", "tern plover dunlin")).isNotNull();
  }

  /** A session that did not begin with the one-time password does not get by without it. */
  @Test
  void aResetEndsSessionsAndAsksOldOnesForThePassword() throws Exception {
    var once = add("olaf", "editor");
    var session = signIn("olaf", once);
    send(post("/password").param("wanted", "whimbrel north quay"), session);
    var second = signIn("olaf", "whimbrel north quay");
    var fresh = password(api("POST", "/olaf/password", "{}"));
    for (var old : List.of(session, second)) {
      assertThat(send(get("/bench"), old).getStatus()).as("ended").isNotEqualTo(200);
    }
    assertThat(signIn("olaf", "whimbrel north quay")).isNull();
    assertThat(signIn("olaf", fresh)).isNotNull();
  }

  @Test
  void whoIsDisabledIsOutAndComesBackWhenEnabled() throws Exception {
    var once = add("mara", "editor");
    var session = signIn("mara", once);
    send(post("/password").param("wanted", "berth seven at noon"), session);
    assertThat(send(get("/bench"), session).getStatus()).isEqualTo(200);
    assertThat(api("PATCH", "/mara", "{\"disabled\": true}").statusCode()).isEqualTo(200);
    assertThat(send(get("/bench"), session).getStatus()).isNotEqualTo(200);
    assertThat(signIn("mara", "berth seven at noon")).isNull();
    assertThat(api("GET", "", "").body())
        .contains("{\"name\":\"mara\",\"role\":\"editor\",\"disabled\":true}")
        .doesNotContain("$2a$");
    api("PATCH", "/mara", "{\"disabled\": false, \"role\": \"viewer\"}");
    var again = signIn("mara", "berth seven at noon");
    assertThat(send(post("/bench/panel"), again).getStatus()).as("a viewer now").isEqualTo(403);
  }

  /** As on another server: the session is not ended there, but the row has changed. */
  @Test
  void aSessionElsewhereIsOverOnceTheRoleIsAnother() throws Exception {
    var once = add("tove", "editor");
    var session = signIn("tove", once);
    send(post("/password").param("wanted", "dunlin leaves at ten"), session);
    assertThat(send(get("/bench"), session).getStatus()).isEqualTo(200);
    server.bean(Users.class).change("tove", Role.VIEWER, null);
    assertThat(send(get("/bench"), session).getRedirectedUrl()).isEqualTo("/signin");
  }

  @Test
  void theLastAdministratorStays() {
    assertThat(api("PATCH", "/admin", "{\"disabled\": true}").body())
        .contains("last administrator");
    assertThat(api("PATCH", "/admin", "{\"role\": \"editor\"}").statusCode()).isEqualTo(400);
    add("second admin", "administrator");
    assertThat(api("PATCH", "/second%20admin", "{\"role\": \"viewer\"}").statusCode())
        .isEqualTo(200);
    assertThat(api("PATCH", "/admin", "{\"disabled\": true}").statusCode()).isEqualTo(400);
  }

  @Test
  void wrongRequestsSaySoAndNobodyElseMayAsk() {
    add("twice", "viewer");
    assertThat(api("POST", "", "{\"name\": \"twice\"}").body()).contains("already exists");
    assertThat(api("POST", "", "{\"name\": \"x\", \"role\": \"captain\"}").body())
        .contains("no role named `captain`; roles: viewer, editor, administrator");
    for (var bad : List.of("", "   ", "a/b", "a\\\\b", "a;b", "50%", "x".repeat(201))) {
      assertThat(api("POST", "", "{\"name\": \"" + bad + "\"}").statusCode())
          .as(bad)
          .isEqualTo(400);
    }
    assertThat(api("PATCH", "/nobody", "{\"disabled\": true}").statusCode()).isEqualTo(404);
    assertThat(api("POST", "/nobody/password", "{}").statusCode()).isEqualTo(404);
    var reader =
        server
            .bean(Tokens.class)
            .create(
                new TokenSpec(
                    "reader",
                    TokenCheck.rights("read,metrics,events"),
                    "",
                    List.of(),
                    0,
                    0,
                    0,
                    vintrel.core.series.Labels.NONE),
                "test")
            .token();
    for (var method : List.of("GET", "POST")) {
      assertThat(api(method, "", "{}", reader).statusCode()).as(method).isEqualTo(403);
    }
    assertThat(api("PATCH", "/twice", "{\"role\": \"administrator\"}", reader).statusCode())
        .isEqualTo(403);
    assertThat(api("POST", "/twice/password", "{}", reader).statusCode()).isEqualTo(403);
  }
}
