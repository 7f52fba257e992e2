using Lodrik.Site;

// Makes one static site of the documents, which opens from disk without a network: Lodrik.Site <folder>.
if (args is not [var folder])
{
    Console.Error.WriteLine("Usage: Lodrik.Site <folder>");
    return 2;
}
var site = Site.Read(Repository.Folder);
var dead = site.DeadLinks().ToList();
foreach (var link in dead)
    Console.Error.WriteLine(link);
if (dead.Count > 0)
    return 1;
site.Write(folder);
Console.WriteLine($"{site.Pages.Count} pages in {folder}");
return 0;
