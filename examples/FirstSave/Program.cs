using Lodrik;

var warden = StateFile.ReadOrNew<Warden>("warden.json");   // the file, or the initial values where there is none
warden.Oil += 2;
warden.Satchel.Add("letter");

StateFile.Write("warden.json", warden);                     // SaveForm.Xml or SaveForm.Binary does the same in that form
Console.WriteLine(File.ReadAllText("warden.json"));

StateFile.ReadInto("warden.json", warden);                  // into the live object: nothing doubles
Console.WriteLine($"{warden.Oil} litres, {warden.Satchel.Count} things in the satchel");

[StateType]
public sealed partial class Warden
{
    public string Name { get; set; } = "Isolde";
    public float Stamina { get; set; } = 100;
    public int Oil { get; set; } = 3;
    public List<string> Satchel { get; set; } = ["tinderbox"];
}
