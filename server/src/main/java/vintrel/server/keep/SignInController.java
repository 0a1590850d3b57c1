package vintrel.server.keep;

import jakarta.servlet.http.HttpServletRequest;
import java.security.Principal;
import org.springframework.stereotype.Controller;
import org.springframework.ui.Model;
import org.springframework.web.bind.annotation.GetMapping;
import org.springframework.web.bind.annotation.PostMapping;
import org.springframework.web.bind.annotation.RequestParam;

/** Signing in, and a person's own password. */
@Controller
class SignInController {
  private final People people;

  SignInController(People people) {
    this.people = people;
  }

  @GetMapping("/signin")
  String signIn(Model model, HttpServletRequest request) {
    model.addAttribute("refused", request.getParameter("error") != null);
    return "keep/signin";
  }

  @GetMapping("/password")
  String password(Model model, Principal who) {
    model.addAttribute("fault", "");
    model.addAttribute("must", who != null && people.mustChange(who.getName()));
    return "keep/password";
  }

  @PostMapping("/password")
  String change(@RequestParam String old, @RequestParam String wanted, Model model, Principal who) {
    try {
      people.changePassword(who.getName(), old, wanted);
      return "redirect:/";
    } catch (IllegalArgumentException e) {
      model.addAttribute("fault", e.getMessage());
      model.addAttribute("must", people.mustChange(who.getName()));
      return "keep/password";
    }
  }
}
