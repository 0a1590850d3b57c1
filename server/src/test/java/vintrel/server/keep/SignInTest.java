package vintrel.server.keep;

import static org.assertj.core.api.Assertions.assertThat;
import static org.assertj.core.api.Assertions.assertThatThrownBy;
import static org.springframework.security.test.web.servlet.request.SecurityMockMvcRequestBuilders.formLogin;
import static org.springframework.security.test.web.servlet.request.SecurityMockMvcRequestPostProcessors.csrf;
import static org.springframework.security.test.web.servlet.request.SecurityMockMvcRequestPostProcessors.user;
import static org.springframework.security.test.web.servlet.setup.SecurityMockMvcConfigurers.springSecurity;
import static org.springframework.test.web.servlet.request.MockMvcRequestBuilders.get;
import static org.springframework.test.web.servlet.request.MockMvcRequestBuilders.post;

import java.io.ByteArrayOutputStream;
import java.io.PrintStream;
import java.util.regex.Pattern;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.extension.RegisterExtension;
import org.springframework.test.web.servlet.setup.MockMvcBuilders;
import org.springframework.web.context.WebApplicationContext;
import vintrel.server.RunningServer;

class SignInTest {
  private static final ByteArrayOutputStream TERMINAL = new ByteArrayOutputStream();
  private static final PrintStream BEFORE = System.err;

  static {
    System.setErr(new PrintStream(TERMINAL, true));
  }

  @RegisterExtension static final RunningServer server = new RunningServer();

  @Test
  void theFirstStartMakesAnAdministratorWhoMustReplaceTheOneTimePassword() throws Exception {
    System.setErr(BEFORE);
    var shown = Pattern.compile("one-time password (\\S+)").matcher(TERMINAL.toString());
    assertThat(shown.find()).isTrue();
    var password = shown.group(1);
    var mvc =
        MockMvcBuilders.webAppContextSetup((WebApplicationContext) server.context())
            .apply(springSecurity())
            .build();
    assertThat(signIn(mvc, "wrong")).isEqualTo("/signin?error");
    assertThat(signIn(mvc, password)).isEqualTo("/");
    var admin = user("admin").roles("ADMIN");
    assertThat(mvc.perform(get("/bench").with(admin)).andReturn().getResponse().getRedirectedUrl())
        .isEqualTo("/password");
    var short_ =
        mvc.perform(
                post("/password")
                    .param("old", password)
                    .param("wanted", "short")
                    .with(admin)
                    .with(csrf()))
            .andReturn();
    assertThat(short_.getResponse().getContentAsString()).contains("at least 12 characters");
    mvc.perform(
        post("/password")
            .param("old", password)
            .param("wanted", "a much better one")
            .with(admin)
            .with(csrf()));
    assertThat(mvc.perform(get("/bench").with(admin)).andReturn().getResponse().getStatus())
        .isEqualTo(200);
    assertThat(signIn(mvc, password)).isEqualTo("/signin?error");
    assertThat(signIn(mvc, "a much better one")).isEqualTo("/");
  }

  private static String signIn(org.springframework.test.web.servlet.MockMvc mvc, String password)
      throws Exception {
    return mvc.perform(formLogin("/signin").user("admin").password(password))
        .andReturn()
        .getResponse()
        .getRedirectedUrl();
  }

  @Test
  void aTokenIsShownOnceAndWorthlessAfterItWasRevoked() {
    var tokens = server.bean(Tokens.class);
    var token = tokens.make("booking", vintrel.server.web.TokenCheck.Scope.READ, "", "admin");
    assertThat(tokens.all().toString()).contains("booking").doesNotContain(token);
    assertThat(tokens.holder(token)).isPresent();
    assertThatThrownBy(
            () -> tokens.make("booking", vintrel.server.web.TokenCheck.Scope.READ, "", "admin"))
        .hasMessageContaining("already");
    tokens.revoke(tokens.all().getFirst().id());
    assertThat(tokens.holder(token)).isEmpty();
  }

  @Test
  void definitionsAreTakenWholeOrNotAtAllAndADryRunChangesNothing() {
    var one = "kind: recipient\nname: a\nchannels: [{mail: a@b.example}]\n";
    assertThat(server.post("/api/v1/definitions?dry-run=true", "application/yaml", one).body())
        .contains("made");
    assertThat(server.bean(Definitions.class).recipients()).isEmpty();
    assertThat(
            server
                .post("/api/v1/definitions", "application/yaml", one + "---\nkind: rule\nname: r\n")
                .statusCode())
        .isEqualTo(422);
    assertThat(server.bean(Definitions.class).recipients()).isEmpty();
    server.post("/api/v1/definitions", "application/yaml", one);
    assertThat(server.post("/api/v1/definitions", "application/yaml", one).body()).contains("left");
    assertThat(server.send(server.to("/api/v1/definitions")).body()).contains("name: a");
  }
}
